"""Rules of the stage selectors."""

from __future__ import annotations

from stomion.diagnosis.rules.selectors import (
    child_missing_at_peer,
    peer_inside_selectors,
    selectors_narrowed,
    selectors_not_mirrored,
    selectors_swapped,
    selectors_unacceptable,
    subnets_overlap,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    selectors_unacceptable.RULE,
    selectors_narrowed.RULE,
    selectors_swapped.RULE,
    selectors_not_mirrored.RULE,
    subnets_overlap.RULE,
    peer_inside_selectors.RULE,
    child_missing_at_peer.RULE,
)
