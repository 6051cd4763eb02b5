"""No way back."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import Lost, first_astray, routing_finding
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="return-route-missing",
    stage=Stage.ROUTING,
    title="No way back",
    means="What comes out of the tunnel does not reach its host, or the host's answer does not find its way back to the gateway.",
    decided="The tables of the gateway and of the host are gone through for the packet and for its answer.",
    example="host-b behind Gannet does not send to Quayhead's LAN via the gateway.",
)


def judge(context: Context) -> Finding | None:
    item = first_astray(context, Lost.NO_WAY_TO_LAN)
    if item is None:
        return None
    end, far, leg = item.found.end.title, context.picture.other(item.found.end).title, item.found.leg
    if item.host:
        summary = f"{item.host} behind {end} does not send to {far}'s LAN via the gateway: {leg.says}."
        return routing_finding(context, SPEC, item, summary, f"route {far}'s LAN to the gateway on {item.host}")
    summary = f"{end} has no way to its own LAN for what comes out of the tunnel: {leg.says or leg.fate.value}."
    return routing_finding(context, SPEC, item, summary, "add the route to the LAN behind it")


RULE = Rule(SPEC, judge)
