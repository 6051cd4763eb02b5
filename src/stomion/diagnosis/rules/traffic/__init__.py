"""Rules of the stage traffic."""

from __future__ import annotations

from stomion.diagnosis.rules.traffic import (
    reached_without_tunnel,
    service_not_listening,
    target_down,
    target_outside_selectors,
    test_fails_unexplained,
    unexpected_pass,
    wrong_target,
)
from stomion.diagnosis.spec import Rule

RULES: tuple[Rule, ...] = (
    unexpected_pass.RULE,
    target_down.RULE,
    service_not_listening.RULE,
    wrong_target.RULE,
    target_outside_selectors.RULE,
    reached_without_tunnel.RULE,
    test_fails_unexplained.RULE,
)
