"""What the tables let pass between two sites, by the tunnel that joins them or by way of a third one: exact sets of packets, by pairs of
LANs."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from stomion.model.box import Interval
from stomion.space.axis import addresses_text
from stomion.space.boxes import Region, TooMany, box_of
from stomion.tunnel.flows import flows_of
from stomion.tunnel.picture import Picture
from stomion.tunnel.sides import sides_of
from stomion.walk.journey import Share, Side
from stomion.walk.passage import Fate
from stomion.walk.relay import Stop, relayed


@dataclass(frozen=True, slots=True)
class Reach:
    """What passes from one site to another, and the first stop of each pair of LANs between which nothing does."""

    passes: Region
    lacking: tuple[Lacking, ...]


@dataclass(frozen=True, slots=True)
class Lacking:
    """Two LANs between which nothing passes in this direction, with one stop of it."""

    lan: Interval
    far: Interval
    stop: Stop

    @property
    def says(self) -> str:
        """`nothing gets from 10.1.0.0/24 to 10.2.0.0/24`."""
        lan, far = (" and ".join(addresses_text(side)[:2]) for side in (self.lan, self.far))
        return f"nothing gets from {lan} to {far}"


def hindrance(there: Reach, back: Reach) -> Lacking | None:
    """What keeps two sites from talking: a direction without a way, or with another address, and a pair of LANs of which a filter lets
    neither begin. Answers pass where a connection stands."""
    both = (*there.lacking, *back.lacking)
    for row in both:
        if row.stop.fate not in (Fate.DROPPED, Fate.UNCERTAIN):
            return row
    dropped = {(row.lan, row.far) for row in back.lacking if row.stop.fate is Fate.DROPPED}
    return next((r for r in there.lacking if r.stop.fate is Fate.DROPPED and (r.far, r.lan) in dropped), None)


def by_tunnel(picture: Picture, site: str) -> Reach | None:
    """From a site through the tunnel between two: as new packets. None where neither gateway's tables are known; where only
    the sender's are not, nothing of its direction is lacking."""
    flows = flows_of(picture)
    place = 0 if picture.left.site == site else 1
    if flows is None or not any(flows.shares):
        return None
    sender, receiver = (flows.sides[place], flows.sides[1 - place])
    shares = flows.shares[place]
    passes = [box for share in shares if share.fate is Fate.CARRIED for box in share.region.boxes]
    return _reach(sender, receiver, Region(tuple(passes)), _stops(shares, (sender.site, receiver.site)))


def _stops(shares: Iterable[Share], sites: tuple[str, str]) -> list[Stop]:
    ended = [share for share in shares if share.fate is not Fate.CARRIED]
    return [Stop(box, sites[s.at], s.fate, s.says) for s in ended for box in s.region.boxes]


def through(first: Picture, second: Picture, hub: str) -> Reach | None:
    """From the other end of the first tunnel through `hub` to the other end of the second. None where the tables of the
    gateway in between are not known, or the packets fall into too many parts."""
    mine, theirs = sides_of(first), sides_of(second)
    sender, into = mine if first.right.site == hub else mine[::-1]
    out, receiver = theirs if second.left.site == hub else theirs[::-1]
    if into.gateway is None:
        return None
    try:
        found = relayed(sender, (into, out), receiver)
    except TooMany:
        return None
    return _reach(sender, receiver, found.arrives, found.stops)


def _reach(sender: Side, receiver: Side, passes: Region, stops: Iterable[Stop]) -> Reach:
    lacking: list[Lacking] = []
    ended = list(stops)
    for lan in sender.lans:
        for far in receiver.lans:
            pair = Region((box_of(lan, far),))
            if pair & passes:
                continue
            stop = next((s for s in ended if pair & Region((s.box,))), None)
            if stop is not None:
                lacking.append(Lacking(lan, far, stop))
    return Reach(passes, tuple(lacking))
