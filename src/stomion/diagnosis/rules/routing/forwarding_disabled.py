"""Forwarding is off."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import Lost, first_astray, routing_finding
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="forwarding-disabled",
    stage=Stage.ROUTING,
    title="Forwarding is off",
    means="The gateway is set not to pass packets on.",
    decided="The setting itself, where it is among the evidence.",
    example="Gannet does not pass packets on.",
)


def judge(context: Context) -> Finding | None:
    item = first_astray(context, Lost.FORWARDING)
    if item is None:
        return None
    summary = f"{item.found.end.title} does not pass packets on: forwarding is switched off."
    return routing_finding(context, SPEC, item, summary, "switch forwarding on")


RULE = Rule(SPEC, judge)
