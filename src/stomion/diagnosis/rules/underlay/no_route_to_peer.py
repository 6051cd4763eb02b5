"""A gateway could not send: it knows no way to the peer."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Finding, Remedy, Stage

SPEC = Spec(
    code="no-route-to-peer",
    stage=Stage.UNDERLAY,
    title="No route to the peer",
    means="A gateway wants to send to its peer's public address and its own routing has no way there: most often the default "
    "route is missing.",
    decided="The gateway's log says that sending failed because the network is unreachable.",
    example="Marram has no route to 192.0.2.10 and can't answer Quayhead.",
    explains=frozenset({"peer-gone", "ike-lost-in-path"}),
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.SEND_FAILED:
        return None
    by, asker = cause.by, context.asker
    address = asker.address or (cause.refusal.event.peer if cause.refusal else "") or "its peer"
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(by.site,),
        certainty=context.certainty(),
        summary=f"{by.title} has no route to {address}: it can't send to {asker.title}.",
        remedies=(Remedy(by.site, f"add a default route, or a route to {address}, towards its next hop"),),
        evidence=context.evidence(),
        facts={"destination": address},
    )


RULE = Rule(SPEC, judge)
