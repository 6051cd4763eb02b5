"""No route into the tunnel."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import routing_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="tunnel-route-missing",
    stage=Stage.ROUTING,
    title="No route into the tunnel",
    means="Packets for the far LAN are not sent to the tunnel: no route leads there.",
    decided="The routing of the gateway is gone through for the packets that tests tried, or for all between the two LANs.",
    example="Gannet has no route into the tunnel for Quayhead's LAN.",
)


def judge(context: Context) -> Finding | None:
    return routing_fault(context, SPEC)
