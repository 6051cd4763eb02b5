"""A gateway could not send: it knows no way to the peer."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.tables import Origin
from stomion.tunnel.baseline import Near, checks_of, lacks_route
from stomion.tunnel.up import up_of

SPEC = Spec(
    code="no-route-to-peer",
    stage=Stage.UNDERLAY,
    title="No route to the peer",
    means="A gateway wants to send to its peer's public address and its own routing has no way there: most often the default "
    "route is missing.",
    decided="The gateway's log says that sending failed because the network is unreachable; or its tables, read while no SA was there, have no way to the peer's public address.",
    example="Marram has no route to 192.0.2.10 and can't answer Quayhead.",
    explains=frozenset(
        {
            "peer-gone",
            "ike-lost-in-path",
            "baseline-fails",
            "peer-silent",
            "tunnel-route-missing",
            "test-fails-unexplained",
        }
    ),
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.SEND_FAILED:
        return _by_tables(context) if cause is None or cause.declared else None
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


def _by_tables(context: Context) -> Finding | None:
    """Known tables of an end without any way to the peer's public address; a sheet without any route says nothing of its routes,
    unless a test to that end fails as well."""
    picture = context.picture
    if up_of(picture).ever:
        return None
    silent = [c for c in checks_of(picture) if c.step is Near.PEER_ADDRESS and c.attempt.silent]
    for end in picture.ends:
        other = picture.other(end)
        asked = [c for c in silent if c.end is other]
        declared = end.tables is not None and end.tables.source is Origin.SHEET and not end.tables.named_routes
        if not lacks_route(end, other) or (declared and not asked):
            continue
        default = (
            "no default route and no other route"
            if not declared
            else "no default route in its sheet and no other route"
        )
        return SPEC.finding(
            [end.site],
            Certainty.PROVEN if not declared else Certainty.LIKELY,
            f"{end.title} has {default} to its peer {other.address}: it can't send to {other.title}.",
            [Remedy(end.site, f"add a default route, or a route to {other.address}, towards its next hop")],
            [end.tables.routes[0].where if end.tables is not None else None, *(c.attempt.where for c in asked)],
            {"destination": other.address},
        )
    return None


RULE = Rule(SPEC, judge)
