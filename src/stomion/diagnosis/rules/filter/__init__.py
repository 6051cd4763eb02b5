"""Rules of the stage filter."""

from __future__ import annotations

from stomion.diagnosis.rules.filter import (
    allow_shadowed,
    block_without_effect,
    count_unmoved,
    filter_blocks,
    host_filter_blocks,
    service_not_allowed,
    wrong_action,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    allow_shadowed.RULE,
    wrong_action.RULE,
    block_without_effect.RULE,
    service_not_allowed.RULE,
    filter_blocks.RULE,
    host_filter_blocks.RULE,
    count_unmoved.RULE,
)
