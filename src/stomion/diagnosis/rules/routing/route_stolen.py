"""A better route takes it past the tunnel."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import routing_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="route-stolen",
    stage=Stage.ROUTING,
    title="A better route takes it past the tunnel",
    means="There is a route into the tunnel, but a more specific route, a lower metric or policy routing sends the packets elsewhere.",
    decided="Policy routing, longest prefix and metric are gone through; another route wins over the one into the tunnel.",
    example="At Quayhead the way to Gannet is taken past the tunnel by a route to 10.74.0.0/24.",
)


def judge(context: Context) -> Finding | None:
    return routing_fault(context, SPEC)
