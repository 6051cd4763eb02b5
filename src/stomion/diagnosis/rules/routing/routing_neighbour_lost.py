"""A routing protocol's neighbour over the tunnel is gone."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import lost_neighbour
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.record import NEIGHBOUR_DOWN, NEIGHBOUR_FORMING, NEIGHBOUR_UP
from stomion.tunnel.picture import Adjacency, End, Picture
from stomion.vocabulary.times import clock_text, utc_text

SPEC = Spec(
    code="routing-neighbour-lost",
    stage=Stage.ROUTING,
    title="A routing neighbour over the tunnel is gone",
    means="A routing protocol between the two gateways lost its neighbour on the other side of the tunnel, or never got it: routes that were "
    "learned from it go with it. The tunnel itself may stand.",
    decided="The last line or record about the neighbour says that it is down, or that it is still on its way. A neighbour belongs to the tunnel by "
    "its interface, by the subnet of that, or as an address of the other end.",
    example="Quayhead's routing neighbour 169.254.77.2 on tun0 is down since 09:10:00 (silent for 40 s).",
    caution=True,
    leftover=True,
)
REMEDY = (
    "let the routing protocol's packets pass the tunnel in both directions (selectors, filters, multicast or a session by unicast), and compare "
    "its timers, keys and the MTU with the other end's"
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    gone = [a for a in picture.adjacencies if a.last.what != NEIGHBOUR_UP]
    lost = (near for end in picture.ends if (near := lost_neighbour(picture, end.site)) is not None)
    first = min(lost, key=lambda a: (a.last.what != NEIGHBOUR_DOWN, a.last.at or 0.0), default=None)
    if first is None:
        return None
    end = next(e for e in picture.ends if e.site == first.site)
    down = first.last.what == NEIGHBOUR_DOWN
    others = f" {len(gone) - 1} more of its neighbours are not up either." if len(gone) > 1 else ""
    return SPEC.finding(
        [e.site for e in picture.ends],
        Certainty.PROVEN if down else Certainty.POSSIBLE,
        (_lost(end, first) if down else _forming(end, first)) + others,
        [Remedy(first.site, REMEDY)],
        [a.last.where for a in gone],
        {"neighbour": first.address, "since": utc_text(first.last.at), "state": first.last.what.rpartition("-")[2]},
        _was_up(picture, first),
    )


def _lost(end: End, near: Adjacency) -> str:
    since = f" since {clock_text(near.last.at)}" if near.last.at is not None else ""
    why = f" ({near.last.detail})" if near.last.detail else ""
    return (
        f"{end.title}'s routing neighbour {near.address} is down{since}{why}: what was learned from it is gone with it."
    )


def _forming(end: End, near: Adjacency) -> str:
    at = f", at {clock_text(near.last.at)}" if near.last.at is not None else ""
    why = f" ({near.last.detail})" if near.last.detail else ""
    return f"{end.title}'s routing neighbour {near.address} was last seen on its way{at}{why}, and not up since."


def _was_up(picture: Picture, near: Adjacency) -> str:
    """When it was up before, and whether the other end tells the same."""
    up = next((c for c in reversed(near.changes) if c.what == NEIGHBOUR_UP), None)
    words = [f"It was up before, from {clock_text(up.at)}."] if up is not None and up.at is not None else []
    if any(a.site != near.site and a.last.what in (NEIGHBOUR_DOWN, NEIGHBOUR_FORMING) for a in picture.adjacencies):
        words.append("The other end has not got its neighbour either.")
    return " ".join(words)


RULE = Rule(SPEC, judge)
