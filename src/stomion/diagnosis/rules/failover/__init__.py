"""Rules of the stage failover."""

from __future__ import annotations

from stomion.diagnosis.rules.failover import failback_absent, failover_slow, path_asymmetric, wrong_path
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (failover_slow.RULE, failback_absent.RULE, path_asymmetric.RULE, wrong_path.RULE)
