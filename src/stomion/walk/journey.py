"""The whole way between two LANs: host, gateway, tunnel, gateway, host, and the way back; for one packet or for all of them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace

from stomion.model.provenance import Provenance
from stomion.model.tables import ESTABLISHED, NEW, Interval, Policy, Rule, Tables
from stomion.space.boxes import (
    DESTINATION,
    EVERY,
    PORT,
    PROTOCOL,
    SOURCE,
    SOURCE_PORT,
    Box,
    Region,
    address_number,
    meet,
    service_of,
)
from stomion.walk.gateway import accepts, inbound, outbound, policy_boxes
from stomion.walk.passage import Fate, Passage, Step
from stomion.walk.pieces import Piece
from stomion.walk.routing import LOCAL, Way, routed

NEAR, FAR = 0, 1
"""The gateway on the sending and on the receiving side of a journey."""


@dataclass(frozen=True, slots=True)
class Side:
    """One end with its gateway's tables, its hosts' tables, and its tunnel's selectors. `lans` are the ranges behind it."""

    site: str
    gateway: Tables | None
    hosts: dict[str, Tables] = field(default_factory=dict)
    policy: Policy | None = None
    lans: tuple[Interval, ...] = ()
    more: tuple[Policy, ...] = ()
    """Further selectors between the same two ends: each has a Child SA of its own."""

    @property
    def policies(self) -> tuple[Policy, ...]:
        """All selectors between the two ends, as this end holds them."""
        return (*((self.policy,) if self.policy is not None else ()), *self.more)

    def host_at(self, address: int) -> Tables | None:
        """The host that has an address."""
        return next((h for h in self.hosts.values() if h.is_own(address)), None)


@dataclass(frozen=True, slots=True)
class Leg:
    """What happened to a piece on its way. `at` tells at which side it ended, `place` whether at the host or the gateway."""

    box: Box
    fate: Fate
    at: int
    place: str
    steps: tuple[tuple[int, Step], ...]
    passage: Passage | None = None
    says: str = ""
    astray: bool = False
    """Its route, and not what came after it, took it past the tunnel."""

    @property
    def decided(self) -> int:
        """Which of the steps decided its fate; -1 where there is none. What comes after only follows from it."""
        last = len(self.steps) - 1
        if self.fate is Fate.CARRIED or last < 0:
            return last
        if self.rule is not None:
            return max((i for i, (_, s) in enumerate(self.steps) if s.rule is self.rule), default=last)
        if self.astray:
            return max((i for i, (_, s) in enumerate(self.steps) if s.what == "route"), default=last)
        return last

    @property
    def rule(self) -> Rule | None:
        return self.passage.rule if self.passage is not None else None


def travel(sender: Side, receiver: Side, boxes: Iterable[Box], state: str = NEW) -> list[Leg]:
    """Packets from the sender's side to the receiver's; disjoint pieces with their fates. Hosts count where one is known."""
    pieces = [Piece(box) for box in boxes]
    legs: list[Leg] = []
    at_gateway = _from_host(sender, pieces, legs)
    return legs + _in(receiver, _out(sender, at_gateway, state, legs), state)


def _from_host(sender: Side, pieces: list[Piece], legs: list[Leg]) -> list[Piece]:
    """Can the sending host reach its gateway? Only where its tables are there."""
    out: list[Piece] = []
    for piece, host in _hosts_apart(sender, pieces, SOURCE):
        if host is None:
            out.append(piece)
            continue
        for way in routed(host, [piece]):
            says = _astray(sender, way)
            if says:
                step = Step("host", says, way.where, way=way)
                legs.append(Leg(way.piece.box, Fate.LOST, NEAR, "host", ((NEAR, step),), says=says))
            else:
                out.append(way.piece)
    return out


def _astray(sender: Side, way: Way) -> str:
    """Why a host's way does not lead to its gateway; empty where it does, or ends within its own network."""
    if way.end and way.end != LOCAL:
        return "the host has no route there" if way.end == "no route" else f"the host's route ends it: {way.end}"
    if way.via and sender.gateway is not None and not sender.gateway.is_own(address_number(way.via)):
        return f"the host sends it to {way.via}, which is not the gateway"
    return ""


def _hosts_apart(side: Side, pieces: Iterable[Piece], axis: int) -> list[tuple[Piece, Tables | None]]:
    """Pieces cut at the addresses of hosts whose tables are known, each with its host; the rest, of which nothing is known, with none."""
    own = [
        (address, host)
        for host in side.hosts.values()
        for dev, rows in host.addresses.items()
        if dev != "lo"
        for address, _ in rows
    ]
    out: list[tuple[Piece, Tables | None]] = []
    for piece in pieces:
        rest = [piece]
        for address, host in own:
            point: Box = (*EVERY[:axis], (address, address), *EVERY[axis + 1 :])
            following: list[Piece] = []
            for part in rest:
                cut = part.cut(point)
                if cut is None:
                    following.append(part)
                else:
                    out.append((cut, host))
                    following.extend(part.without(point))
            rest = following
        out.extend((part, None) for part in rest)
    return out


def _out(
    sender: Side, pieces: list[Piece], state: str, legs: list[Leg]
) -> list[tuple[Piece, tuple[tuple[int, Step], ...]]]:
    if sender.gateway is None:
        return [(piece, ()) for piece in pieces]
    sealed: list[tuple[Piece, tuple[tuple[int, Step], ...]]] = []
    for piece in pieces:
        low = piece.now[SOURCE][0]
        for passage in outbound(sender.gateway, [piece], sender.gateway.dev_of(low), state):
            steps = tuple((NEAR, s) for s in passage.steps)
            carried = passage.fate is Fate.CARRIED and (passage.policy is not None)
            if carried and _is_ours(passage.policy, sender.policies):
                sealed.append((passage.piece, steps))
            else:
                fate = Fate.LEAKED if passage.fate is Fate.CARRIED else passage.fate
                says = passage.says or (f"into another tunnel, {passage.policy.tunnel}" if passage.policy else "")
                astray = fate is Fate.LEAKED and _past_its_tunnel(passage, sender.policies)
                legs.append(Leg(passage.piece.box, fate, NEAR, "gateway", steps, passage, says, astray))
    return sealed


def _past_its_tunnel(passage: Passage, policies: tuple[Policy, ...]) -> bool:
    """Packets of the tunnel's selectors that leave by another interface than its own: the route is what is wrong."""
    if not policies or passage.way is None:
        return False
    devs = {p.dev for p in policies if p.dev}
    if devs:
        return passage.way.dev not in devs
    return any(meet(passage.piece.now, box) for policy in policies for box in policy_boxes(policy))


def _is_ours(policy: Policy | None, ours: tuple[Policy, ...]) -> bool:
    return not ours or any(_same_tunnel(policy, p) for p in ours)


def _same_tunnel(a: Policy | None, b: Policy | None) -> bool:
    """Policies of the system have names of their own: the ranges tell."""
    return (
        b is None
        or a is None
        or a.tunnel == b.tunnel
        or (set(a.near) & set(b.near) != set() and set(a.far) & set(b.far) != set())
    )


def _in(receiver: Side, sealed: list[tuple[Piece, tuple[tuple[int, Step], ...]]], state: str) -> list[Leg]:
    """What came out of the tunnel, all at once: long rule lists are gone through once for many pieces."""
    if receiver.gateway is None:
        return [Leg(piece.box, Fate.CARRIED, FAR, "gateway", steps) for piece, steps in sealed]
    pieces = [replace(piece, tag=i) for i, (piece, _) in enumerate(sealed)]
    legs = []
    for passage in inbound(receiver.gateway, pieces, receiver.policies, state):
        more = (*sealed[passage.tag][1], *((FAR, s) for s in passage.steps))
        if passage.fate is Fate.CARRIED:
            legs.extend(_to_host(receiver, passage, more, state))
        else:
            legs.append(Leg(passage.piece.box, passage.fate, FAR, "gateway", more, passage, passage.says))
    return legs


def _to_host(receiver: Side, passage: Passage, steps: tuple[tuple[int, Step], ...], state: str) -> list[Leg]:
    """The receiving host's own filter, where its tables are there."""
    legs = []
    filtering = replace(receiver, hosts={n: h for n, h in receiver.hosts.items() if h.base("input", "filter")})
    for piece, host in _hosts_apart(filtering, [passage.piece], DESTINATION):
        if host is None:
            legs.append(Leg(piece.box, Fate.CARRIED, FAR, "host", steps, replace(passage, piece=piece)))
            continue
        for taken in accepts(host, [piece], host.dev_of(piece.now[DESTINATION][0]), state):
            more = (*steps, *((FAR, replace(s, what="host filter")) for s in taken.steps))
            legs.append(Leg(taken.piece.box, taken.fate, FAR, "host", more, taken, taken.says))
    return legs


@dataclass(frozen=True, slots=True)
class RoundTrip:
    """A question and its answer. `back` is empty where the question does not arrive."""

    there: Leg
    back: Leg | None = None

    @property
    def works(self) -> bool:
        """True where both arrive."""
        return self.there.fate is Fate.CARRIED and self.back is not None and self.back.fate is Fate.CARRIED

    @property
    def broken(self) -> Leg | None:
        """The leg that fails first."""
        if self.there.fate is not Fate.CARRIED:
            return self.there
        return self.back if self.back is not None and self.back.fate is not Fate.CARRIED else None

    @property
    def on_the_way_back(self) -> bool:
        return self.there.fate is Fate.CARRIED


def round_trip(sender: Side, receiver: Side, box: Box) -> RoundTrip:
    """One packet (a box of one point) there, and its answer back, as connection tracking lets it pass."""
    there = travel(sender, receiver, [box])[0]
    if there.fate is not Fate.CARRIED:
        return RoundTrip(there)
    point = tuple(low for low, _ in box)
    answer: Box = tuple(
        (v, v) for v in (point[DESTINATION], point[SOURCE], point[PROTOCOL], point[PORT], point[SOURCE_PORT])
    )
    if point[PROTOCOL] == 1:
        answer = (*answer[:3], (0, 0), (0, 0))
    return RoundTrip(there, travel(receiver, sender, [answer], ESTABLISHED)[0])


EPHEMERAL = 49_152
"""A source port as clients use them (RFC 6335 section 6)."""
ECHO = {1: 8, 58: 128}


def packet_box(source: str, destination: str, service: str) -> Box:
    """One packet of a service as a box of one point. Raises ValueError for what is no address or service."""
    first, second = address_number(source), address_number(destination)
    choices = service_of("icmp" if service in ("icmp", "ping") else service)
    v6 = first > 2**32 - 1
    protocol, port = next(((p, q) for p, q in choices if (p[0] == 58) == v6 or p[0] not in ECHO), choices[0])
    if protocol[0] in ECHO and port == EVERY[PORT]:
        port = (ECHO[protocol[0]], ECHO[protocol[0]])
    number = protocol[0] if protocol != EVERY[PROTOCOL] else 6
    low = port[0] if port != EVERY[PORT] else 0
    sport = 0 if number in ECHO else EPHEMERAL
    return ((first, first), (second, second), (number, number), (sport, sport), (low, low))


def between(sender: Side, receiver: Side) -> list[Box]:
    """All packets from one side's LANs to the other's. What of the far range is the sender's own LAN never comes to its gateway:
    a summary may well contain it."""
    home = Region(tuple((EVERY[SOURCE], b, *EVERY[2:]) for b in sender.lans))
    wanted = Region(tuple((a, b, *EVERY[2:]) for a in sender.lans for b in receiver.lans))
    return list((wanted - home).boxes)


@dataclass(frozen=True, slots=True)
class Share:
    """All packets with one fate, decided by the same rule at the same place."""

    region: Region
    fate: Fate
    at: int
    place: str
    says: str
    rule: Rule | None
    sample: Leg

    @property
    def where(self) -> Provenance | None:
        """The place of the rule, route or list end that decided it."""
        leg = self.sample
        return leg.steps[leg.decided][1].where if leg.steps else None


def partition(sender: Side, receiver: Side, state: str = NEW) -> list[Share]:
    """Every packet between the two LANs, by its fate; the largest shares first."""
    groups: dict[tuple[Fate, int, str, str, int], list[Leg]] = {}
    for leg in travel(sender, receiver, between(sender, receiver), state):
        key = (
            leg.fate,
            leg.at,
            leg.place,
            leg.says if leg.fate is not Fate.CARRIED else "",
            id(leg.rule) if leg.fate is not Fate.CARRIED else 0,
        )
        groups.setdefault(key, []).append(leg)
    shares = []
    for (fate, at, place, says, _), legs in groups.items():
        space = Region(tuple(leg.box for leg in legs)).merged()
        shares.append(Share(space, fate, at, place, says, legs[0].rule if fate is not Fate.CARRIED else None, legs[0]))
    return sorted(shares, key=lambda s: -s.region.size())
