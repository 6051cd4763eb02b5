"""The next hop towards the peer is in none of the gateway's networks."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.baseline import off_link, route_to_peer
from stomion.tunnel.up import up_of

SPEC = Spec(
    code="next-hop-off-link",
    stage=Stage.UNDERLAY,
    title="The next hop is on no link",
    means="A gateway's route towards its peer names a next hop that none of its interfaces shares a network with: the route cannot work.",
    decided="Arithmetic on the interfaces and routes of a sheet or of the system, where no SA was ever seen.",
    example="Marram's default route goes via 192.0.2.9, which is in none of its networks.",
    explains=frozenset({"baseline-fails", "peer-silent", "tunnel-route-missing", "test-fails-unexplained"}),
)


def judge(context: Context) -> Finding | None:
    if up_of(context.picture).ever:
        return None
    for end in context.picture.ends:
        other = context.picture.other(end)
        via = off_link(end, other)
        route = route_to_peer(end, other)
        if not via or route is None:
            continue
        what = "default route" if route.length == 0 else f"route to {other.title}"
        return SPEC.finding(
            [end.site],
            Certainty.PROVEN,
            f"{end.title}'s {what} goes via {via}, which is in none of its networks.",
            [
                Remedy(
                    end.site,
                    "name a next hop on one of its own links, or correct the interface's address and prefix length",
                )
            ],
            [route.where],
            {"via": via},
        )
    return None


RULE = Rule(SPEC, judge)
