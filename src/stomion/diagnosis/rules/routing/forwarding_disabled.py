"""Forwarding is off."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import routing_fault
from stomion.diagnosis.spec import Context, Spec
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
    return routing_fault(context, SPEC)
