"""A host has no gateway."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import Lost, first_astray, routing_finding
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="host-gateway-missing",
    stage=Stage.ROUTING,
    title="A host has no gateway",
    means="A host has neither a default gateway nor a route to the far LAN: it receives packets and cannot answer.",
    decided="The host's own routes.",
    example="host-b behind Gannet has no default gateway and no route to Quayhead's LAN.",
)


def judge(context: Context) -> Finding | None:
    item = first_astray(context, Lost.HOST_WITHOUT_GATEWAY)
    if item is None:
        return None
    end, far = item.found.end.title, context.picture.other(item.found.end).title
    summary = f"{item.host} behind {end} has no default gateway and no route to {far}'s LAN: its answers end there."
    return routing_finding(context, SPEC, item, summary, f"set the gateway as default route on {item.host}")


RULE = Rule(SPEC, judge)
