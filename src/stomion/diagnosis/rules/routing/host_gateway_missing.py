"""A host has no gateway."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import routing_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="host-gateway-missing",
    stage=Stage.ROUTING,
    title="A host has no gateway",
    means="A host has neither a default gateway nor a route to the far LAN: it hears and can not answer.",
    decided="The host's own routes.",
    example="host-b behind Gannet has no default gateway and no route to Quayhead's LAN.",
)


def judge(context: Context) -> Finding | None:
    return routing_fault(context, SPEC)
