"""The way to the peer leads into its own tunnel."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.axis import address_number
from stomion.tunnel.picture import End, Picture
from stomion.walk.routing import longest

SPEC = Spec(
    code="peer-via-own-tunnel",
    stage=Stage.ROUTING,
    title="The peer is routed into its own tunnel",
    means="The route to the peer's public address leads into the tunnel itself, so the tunnel drops as soon as it comes up.",
    decided="The gateway's routes are gone through for the peer's public address; the winning one leaves by a tunnel interface.",
    example="Quayhead's route to 198.51.100.34 leads into the tunnel to it.",
)


def judge(context: Context) -> Finding | None:
    for end in context.picture.ends:
        tables = end.tables
        address = _peer_of(context.picture, end)
        if tables is None or not tables.tunnel_devs or not address:
            continue
        try:
            way = longest(tables, address_number(address))
        except ValueError:
            continue
        if way.dev not in tables.tunnel_devs:
            continue
        return SPEC.finding(
            [end.site],
            Certainty.PROVEN,
            f"{end.title} routes its peer's address {address} into the tunnel to that peer ({way.dev}).",
            [Remedy(end.site, f"add a route to {address} via the next hop outside")],
            [way.where],
            {"dev": way.dev},
        )
    return None


def _peer_of(picture: Picture, end: End) -> str:
    """The address that this end's IKE goes to: as its sheet says, as the packets show, or as its log names it."""
    other = picture.other(end)
    if end.sheet is not None and end.sheet.peer[:1].isdecimal():
        return end.sheet.peer
    if picture.last is not None:
        pair = (picture.last.initiator, picture.last.responder)
        return next((a for a in pair if a in other.addresses), "")
    up = end.story.ike_ever or end.story.child_ever
    return up.peer or "" if up is not None else ""


RULE = Rule(SPEC, judge)
