"""No way back."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import routing_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="return-route-missing",
    stage=Stage.ROUTING,
    title="No way back",
    means="What comes out of the tunnel does not reach its host, or the host's answer does not find back to the gateway.",
    decided="The tables of the gateway and of the host are gone through for the packet and for its answer.",
    example="host-b behind Gannet does not send to Quayhead's LAN by way of the gateway.",
)


def judge(context: Context) -> Finding | None:
    return routing_fault(context, SPEC)
