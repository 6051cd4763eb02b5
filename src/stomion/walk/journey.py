"""The whole way between two LANs: host, gateway, tunnel, gateway, host, and the way back; for one packet or for all of them."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from msgspec.structs import replace

from stomion.model.box import Box, Interval
from stomion.model.provenance import Provenance
from stomion.model.tables import ChainKind, Hook, Policy, Rule, State, Tables
from stomion.space.axis import address_number, is_v6
from stomion.space.boxes import (
    DESTINATION,
    SOURCE,
    Region,
    answers,
    box_of,
    meet,
    on_axis,
)
from stomion.space.services import ANY_PORT, ANY_PROTOCOL, ECHO_TYPE, ICMPV6, TCP, service_of
from stomion.walk.gateway import NatMapping, accepts, inbound, outbound, policy_boxes
from stomion.walk.passage import Decision, Fate, Passage, Reason, Step
from stomion.walk.pieces import Piece, divided
from stomion.walk.routing import Ending, Way, routed

NEAR, FAR = 0, 1
"""The gateway on the sending and on the receiving side of a journey."""


@dataclass(frozen=True, slots=True)
class Side:
    """One end with its gateway's tables, its hosts' tables, and its tunnel's selectors. `lans` are the ranges behind it."""

    site: str
    gateway: Tables | None
    hosts: Mapping[str, Tables] = field(default_factory=dict)
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


class Machine(StrEnum):
    """Whose decision ended a journey."""

    HOST = "host"
    GATEWAY = "gateway"


@dataclass(frozen=True, slots=True)
class Leg:
    """What happened to a piece on its way. `at` tells at which side it ended, `place` at which machine.

    `ended` is the step that it ended with; None where it arrived, or nothing of its way is known.
    """

    box: Box
    fate: Fate
    at: int
    place: Machine
    steps: tuple[tuple[int, Step], ...]
    passage: Passage | None = None
    ended: Step | None = None
    astray: bool = False
    """Its route, and not what came after it, took it past the tunnel."""

    @property
    def says(self) -> str:
        """How it ended, as a clause; empty where it arrived."""
        return self.ended.says if self.ended is not None else ""

    @property
    def reason(self) -> Reason | None:
        """Why it ended."""
        return self.ended.reason if self.ended is not None else None

    @property
    def decided(self) -> int:
        """Which of the steps decided its fate; -1 where there is none. What comes after only follows from it."""
        last = len(self.steps) - 1
        if self.fate is Fate.CARRIED or last < 0:
            return last
        if self.rule is not None:
            return max((i for i, (_, s) in enumerate(self.steps) if s.rule is self.rule), default=last)
        if self.astray:
            return max((i for i, (_, s) in enumerate(self.steps) if s.what is Decision.ROUTE), default=last)
        return last

    @property
    def rule(self) -> Rule | None:
        return self.passage.rule if self.passage is not None else None


def travel(
    sender: Side,
    receiver: Side,
    boxes: Iterable[Box],
    state: State = State.NEW,
    mappings: tuple[NatMapping, NatMapping] = (NatMapping(), NatMapping()),
) -> list[Leg]:
    """Packets from the sender's side to the receiver's; disjoint pieces with their fates. Hosts count where one is known.

    `mappings` is what the sender's and the receiver's gateway do to the addresses of replies.
    """
    legs: list[Leg] = []
    sealed = depart(sender, boxes, state, legs, mappings[0])
    return legs + arrive(receiver, sealed, state, mappings[1])


UNCHANGED = NatMapping()
Sealed = tuple[Piece, tuple[tuple[int, Step], ...]]
"""A piece in the tunnel, with what happened to it until then."""


def depart(
    sender: Side, boxes: Iterable[Box], state: State, legs: list[Leg], mapping: NatMapping = UNCHANGED
) -> list[Sealed]:
    """What of some packets gets from the sender's hosts into the tunnel; `legs` is given those that do not."""
    return _out(sender, _from_host(sender, [Piece(box) for box in boxes], legs), state, legs, mapping)


def _from_host(sender: Side, pieces: list[Piece], legs: list[Leg]) -> list[Piece]:
    """Can the sending host reach its gateway? Only where its tables are there."""
    out: list[Piece] = []
    for piece, host in _hosts_apart(sender, pieces, SOURCE):
        if host is None:
            out.append(piece)
            continue
        for way in routed(host, [piece]):
            reason = _astray(sender, way)
            if reason is not None:
                step = Step(Decision.HOST, reason, way.where, way=way)
                legs.append(Leg(way.piece.box, Fate.LOST, NEAR, Machine.HOST, ((NEAR, step),), ended=step))
            else:
                out.append(way.piece)
    return out


def _astray(sender: Side, way: Way) -> Reason | None:
    """Why a host's way does not lead to its gateway; None where it does, or ends within its own network."""
    if way.end is Ending.NO_ROUTE:
        return Reason.HOST_NO_ROUTE
    if way.end is not None and way.end is not Ending.LOCAL:
        return Reason.HOST_ROUTE_ENDS
    if way.via and sender.gateway is not None and not sender.gateway.is_own(address_number(way.via)):
        return Reason.HOST_SENDS_ELSEWHERE
    return None


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
    rest = list(pieces)
    for address, host in own:
        held, rest = divided(rest, (on_axis(axis, (address, address)),))
        out += [(part, host) for part in held]
    return out + [(part, None) for part in rest]


def _out(sender: Side, pieces: list[Piece], state: State, legs: list[Leg], mapping: NatMapping) -> list[Sealed]:
    if sender.gateway is None:
        return [(piece, ()) for piece in pieces]
    sealed: list[Sealed] = []
    for piece in pieces:
        low = piece.now[SOURCE][0]
        for passage in outbound(sender.gateway, [piece], sender.gateway.dev_of(low), state, mapping):
            carried = passage.fate is Fate.CARRIED and (passage.policy is not None)
            if carried and is_ours(passage.policy, sender.policies):
                sealed.append((passage.piece, tuple((NEAR, s) for s in passage.steps)))
            else:
                legs.append(_strayed(sender, passage))
    return sealed


def _strayed(sender: Side, passage: Passage) -> Leg:
    """What ended at the sender's gateway, or left it by another way than the tunnel between the two ends."""
    if passage.fate is Fate.CARRIED:
        step = Step(Decision.TUNNEL, Reason.INTO_OTHER_TUNNEL, policy=passage.policy)
        passage = passage.ends(step, Fate.LEAKED) if passage.policy is not None else replace(passage, fate=Fate.LEAKED)
    steps = tuple((NEAR, s) for s in passage.steps)
    astray = passage.fate is Fate.LEAKED and _past_its_tunnel(passage, sender.policies)
    ended = passage.steps[-1] if passage.steps else None
    return Leg(passage.piece.box, passage.fate, NEAR, Machine.GATEWAY, steps, passage, ended, astray)


def _past_its_tunnel(passage: Passage, policies: tuple[Policy, ...]) -> bool:
    """Packets of the tunnel's selectors that leave by another interface than its own: the route is what is wrong."""
    if not policies or passage.way is None:
        return False
    devs = {p.dev for p in policies if p.dev}
    if devs:
        return passage.way.dev not in devs
    return any(meet(passage.piece.now, box) for policy in policies for box in policy_boxes(policy))


def is_ours(policy: Policy | None, ours: tuple[Policy, ...]) -> bool:
    return not ours or any(_same_tunnel(policy, p) for p in ours)


def _same_tunnel(a: Policy | None, b: Policy | None) -> bool:
    """Policies of the system have names of their own: the ranges tell."""
    return (
        b is None
        or a is None
        or a.tunnel == b.tunnel
        or (set(a.near) & set(b.near) != set() and set(a.far) & set(b.far) != set())
    )


def arrive(receiver: Side, sealed: list[Sealed], state: State, mapping: NatMapping = UNCHANGED) -> list[Leg]:
    """What came out of the tunnel, all at once: long rule lists are gone through once for many pieces."""
    if receiver.gateway is None:
        return [Leg(piece.box, Fate.CARRIED, FAR, Machine.GATEWAY, steps) for piece, steps in sealed]
    # A mark is one machine's own: what arrives out of the tunnel has none.
    pieces = [replace(piece, tag=i, mark=0) for i, (piece, _) in enumerate(sealed)]
    legs = []
    for passage in inbound(receiver.gateway, pieces, receiver.policies, state, mapping):
        more = (*sealed[passage.tag][1], *((FAR, s) for s in passage.steps))
        if passage.fate is Fate.CARRIED:
            legs.extend(_to_host(receiver, passage, more, state))
        else:
            ended = passage.steps[-1] if passage.steps else None
            legs.append(Leg(passage.piece.box, passage.fate, FAR, Machine.GATEWAY, more, passage, ended))
    return legs


def _to_host(receiver: Side, passage: Passage, steps: tuple[tuple[int, Step], ...], state: State) -> list[Leg]:
    """The receiving host's own filter, where its tables are there."""
    legs = []
    with_filter = {n: h for n, h in receiver.hosts.items() if h.base(Hook.INPUT, ChainKind.FILTER)}
    for piece, host in _hosts_apart(dataclasses.replace(receiver, hosts=with_filter), [passage.piece], DESTINATION):
        if host is None:
            legs.append(Leg(piece.box, Fate.CARRIED, FAR, Machine.HOST, steps, replace(passage, piece=piece)))
            continue
        for taken in accepts(host, [replace(piece, mark=0)], host.dev_of(piece.now[DESTINATION][0]), state):
            own = tuple(replace(s, what=Decision.HOST_FILTER) for s in taken.steps)
            ended = own[-1] if own and taken.fate is not Fate.CARRIED else None
            taken = replace(taken, steps=own, decided=ended)
            more = (*steps, *((FAR, s) for s in own))
            legs.append(Leg(taken.piece.box, taken.fate, FAR, Machine.HOST, more, taken, ended))
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
    arrived = there.passage.piece.now if there.passage is not None else box
    back = [_mapping(there, side) for side in (FAR, NEAR)]
    return RoundTrip(there, travel(receiver, sender, answers(arrived), State.ESTABLISHED, (back[0], back[1]))[0])


def _mapping(there: Leg, side: int) -> NatMapping:
    """What the gateway of one side of a question's way does to the addresses of its answer: all it did to the question, undone.

    The question's source is the answer's destination, and the other way round.
    """
    now = list(there.box)
    before: dict[int, int] = {}
    after: dict[int, int] = {}
    for at, step in there.steps:
        if step.sets is None:
            continue
        axis, value = step.sets
        if at == side:
            undone, turned = (before, DESTINATION) if axis == SOURCE else (after, SOURCE)
            undone.setdefault(turned, now[axis][0])
        now[axis] = (value, value)
    return NatMapping(tuple(before.items()), tuple(after.items()))


EPHEMERAL = 49_152
"""A source port as clients use them (RFC 6335 section 6)."""


def packet_box(source: str, destination: str, service: str) -> Box:
    """One packet of a service as a box of one point. Raises ValueError for what is no address or service."""
    first, second = address_number(source), address_number(destination)
    choices = service_of("icmp" if service in ("icmp", "ping") else service)
    v6 = is_v6(first)
    protocol, port = next(((p, q) for p, q in choices if (p[0] == ICMPV6) == v6 or p[0] not in ECHO_TYPE), choices[0])
    if protocol[0] in ECHO_TYPE and port == ANY_PORT:
        port = (ECHO_TYPE[protocol[0]], ECHO_TYPE[protocol[0]])
    number = protocol[0] if protocol != ANY_PROTOCOL else TCP
    low = port[0] if port != ANY_PORT else 0
    sport = 0 if number in ECHO_TYPE else EPHEMERAL
    return ((first, first), (second, second), (number, number), (sport, sport), (low, low))


def between(sender: Side, receiver: Side) -> list[Box]:
    """All packets from one side's LANs to the other's. What of the far range is the sender's own LAN never comes to its gateway:
    a summary may well contain it."""
    home = Region(tuple(box_of(destination=b) for b in sender.lans))
    wanted = Region(tuple(box_of(a, b) for a in sender.lans for b in receiver.lans))
    return list((wanted - home).boxes)


@dataclass(frozen=True, slots=True)
class Share:
    """All packets with one fate, decided by the same rule at the same place."""

    region: Region
    fate: Fate
    at: int
    place: Machine
    rule: Rule | None
    sample: Leg

    @property
    def says(self) -> str:
        """How these packets' way ends, as a clause; empty where they arrive."""
        return self.sample.says

    @property
    def where(self) -> Provenance | None:
        """The place of the rule, route or list end that decided it."""
        leg = self.sample
        return leg.steps[leg.decided][1].where if leg.steps else None


def partition(sender: Side, receiver: Side, state: State = State.NEW) -> list[Share]:
    """Every packet between the two LANs, by its fate; the largest shares first."""
    groups: dict[tuple[object, ...], list[Leg]] = {}
    for leg in travel(sender, receiver, between(sender, receiver), state):
        decided = (leg.ended.cause if leg.ended is not None else (), id(leg.rule))
        key = (leg.fate, leg.at, leg.place, *(decided if leg.fate is not Fate.CARRIED else ()))
        groups.setdefault(key, []).append(leg)
    shares = []
    for legs in groups.values():
        first = legs[0]
        space = Region(tuple(leg.box for leg in legs)).merged()
        rule = first.rule if first.fate is not Fate.CARRIED else None
        shares.append(Share(space, first.fate, first.at, first.place, rule, first))
    return sorted(shares, key=lambda s: -s.region.size())
