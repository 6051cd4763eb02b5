"""No route into the tunnel."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import Lost, first_astray, routing_finding
from stomion.diagnosis.spec import Context, Rule, Spec
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
    item = first_astray(context, Lost.NO_WAY_TO_TUNNEL)
    if item is None:
        return None
    end, far = item.found.end.title, context.picture.other(item.found.end).title
    summary = f"{end} has no route into the tunnel for {far}'s LAN: {item.found.leg.says or 'it goes elsewhere'}."
    return routing_finding(context, SPEC, item, summary, f"route {far}'s LAN into the tunnel")


RULE = Rule(SPEC, judge)
