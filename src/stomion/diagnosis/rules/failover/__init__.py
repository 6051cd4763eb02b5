"""Rules of the stage failover."""

from __future__ import annotations

from stomion.diagnosis.rules.failover import (
    both_active,
    failback_absent,
    failover_absent,
    failover_slow,
    flapping,
    path_asymmetric,
    standby_broken,
    wrong_path,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    standby_broken.RULE,
    failover_absent.RULE,
    flapping.RULE,
    failover_slow.RULE,
    failback_absent.RULE,
    path_asymmetric.RULE,
    both_active.RULE,
    wrong_path.RULE,
)
