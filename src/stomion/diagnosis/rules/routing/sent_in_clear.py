"""Packets that the tunnel should protect leave unencrypted."""

from __future__ import annotations

from stomion.diagnosis.rules.routing.family import may_be_judged, route_into_tunnel
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.tables import Origin
from stomion.space.boxes import Region, region
from stomion.space.packetwords import packets_text
from stomion.tunnel.flows import Flows, flows_of
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.uptime import stood_when_read
from stomion.walk.gateway import policy_boxes
from stomion.walk.journey import NEAR, Share
from stomion.walk.passage import Fate

SPEC = Spec(
    code="sent-in-clear",
    stage=Stage.ROUTING,
    title="Packets meant for the tunnel leave unencrypted",
    means="A gateway sends packets that its tunnel should protect out unencrypted; anyone on the path can read them. This is a security fault even where the traffic arrives.",
    decided="All packets of the tunnel's selectors are walked through the gateway's tables; those that leave by an interface that is no tunnel, as they are or translated, are named exactly.",
    example="Quayhead sends 10.96.0.0/24 to 10.76.0.0/25 out of wan0 as it is.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    flows = flows_of(context.picture)
    if context.cause is not None or flows is None or not may_be_judged(context.picture):
        return None
    for index, end in enumerate(context.picture.ends):
        if not _tells(context.picture, end, flows, index):
            continue
        leaking = [(s, part) for s in flows.shares[index] if (part := _in_clear(flows, index, s))]
        if leaking and not _contradicted(flows, index, leaking):
            return _finding(context.picture.other(end), end, leaking)
    return None


def _tells(picture: Picture, end: End, flows: Flows, index: int) -> bool:
    """Do this end's tables tell what happens while the tunnel is up? The system's routes into it come and go with it."""
    policies = flows.sides[index].policies
    if end.tables is None or not policies:
        return False
    far = tuple(f for p in policies for f in p.far)
    there = not end.tables.tunnel_devs or route_into_tunnel(end.tables, far) is not None
    return end.tables.source is not Origin.SYSTEM or stood_when_read(picture, end) or there


def _contradicted(flows: Flows, index: int, leaking: list[tuple[Share, Region]]) -> bool:
    """Did a test get through that by these tables would not? Then they are not what is in force."""
    passed = [f for f in flows.flows if f.test.passed and f.test.from_left is (index == 0) and f.trip is not None]
    return any(Region((f.trip.there.box,)) & part for f in passed if f.trip is not None for _, part in leaking)


def _in_clear(flows: Flows, index: int, share: Share) -> Region:
    """What of a share leaves unprotected and is the tunnel's by the selectors of the sending end."""
    gateway, policies = flows.sides[index].gateway, flows.sides[index].policies
    if share.at != NEAR or share.fate not in (Fate.LEAKED, Fate.TRANSLATED) or gateway is None:
        return Region()
    way = share.sample.passage.way if share.sample.passage is not None else None
    if way is None or way.dev in gateway.tunnel_devs:
        return Region()
    return share.region & region(box for policy in policies for box in policy_boxes(policy))


def _finding(far: End, end: End, leaking: list[tuple[Share, Region]]) -> Finding:
    parts = Region(tuple(b for _, part in leaking for b in part.boxes)).merged()
    ways = [s.sample.passage.way for s, _ in leaking if s.sample.passage is not None]
    devs = sorted({w.dev for w in ways if w is not None and w.dev})
    packets = packets_text(parts)
    out = f" by {' and '.join(devs)}" if devs else ""
    return SPEC.finding(
        [end.site],
        Certainty.PROVEN,
        f"{end.title} sends packets for {far.title} out unencrypted{out}, readable by anyone on the path: {packets}.",
        [
            Remedy(
                end.site,
                "fix the route or rule that takes them past the tunnel; until then drop them at the outgoing interface",
            )
        ],
        [s.where for s, _ in leaking],
        {"packets": packets, "out": devs},
    )


RULE = Rule(SPEC, judge)
