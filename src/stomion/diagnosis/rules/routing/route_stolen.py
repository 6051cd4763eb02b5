"""A better route takes it past the tunnel."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import Lost, first_astray, led_by_policy, routing_finding
from stomion.diagnosis.spec import Context, Rule, Spec
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
    item = first_astray(context, Lost.PAST_THE_TUNNEL)
    if item is None:
        return None
    end, far, leg = item.found.end.title, context.picture.other(item.found.end).title, item.found.leg
    way = leg.passage.way if leg.passage is not None else None
    thief = way.route.text if way is not None and way.route is not None else leg.says
    by = " (policy routing)" if led_by_policy(leg) else ""
    summary = f"At {end} the way to {far} is taken past the tunnel: {thief}{by}."
    return routing_finding(
        context, SPEC, item, summary, f"take that route or rule away, or leave {far}'s LAN out of it"
    )


RULE = Rule(SPEC, judge)
