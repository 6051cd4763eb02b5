"""Rules of the stage traffic."""

from __future__ import annotations

from stomion.diagnosis.rules.traffic import unexpected_pass, wrong_target
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    unexpected_pass.RULE,
    wrong_target.RULE,
)
