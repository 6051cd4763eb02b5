"""Rules of the stage child."""

from __future__ import annotations

from stomion.diagnosis.rules.child import (
    child_lifetime_differs,
    encapsulation_mismatch,
    esp_proposal_mismatch,
    no_pfs,
    pfs_mismatch,
    sa_install_failed,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    pfs_mismatch.RULE,
    encapsulation_mismatch.RULE,
    esp_proposal_mismatch.RULE,
    sa_install_failed.RULE,
    child_lifetime_differs.RULE,
    no_pfs.RULE,
)
