"""All rules, by the stages they judge. A rule is added in its stage's list (`rules/<stage>/__init__.py`) and nowhere else."""

from __future__ import annotations

from collections.abc import Iterable

from stomion.diagnosis.rules import carriage, child, failover, filter, ike, nat, routing, selectors, traffic, underlay
from stomion.diagnosis.spec import Rule


def _registered(found: Iterable[Rule]) -> tuple[Rule, ...]:
    """Rules by codes that are each used once, and whose symptoms are codes of other rules. Raises ValueError otherwise."""
    rules = tuple(found)
    codes = [rule.spec.code for rule in rules]
    twice = {code for code in codes if codes.count(code) > 1}
    unknown = {code for rule in rules for code in rule.spec.explains} - set(codes)
    if twice or unknown:
        raise ValueError(f"codes used twice: {sorted(twice)}; symptoms without a rule: {sorted(unknown)}")
    return rules


RULES = _registered(
    (
        *underlay.RULES,
        *ike.RULES,
        *child.RULES,
        *selectors.RULES,
        *nat.RULES,
        *routing.RULES,
        *filter.RULES,
        *carriage.RULES,
        *traffic.RULES,
        *failover.RULES,
    )
)
