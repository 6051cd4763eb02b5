"""Traffic against tables: every tested or expected flow walked through both gateways, and all packets between the LANs."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import msgspec

from stomion.model.tables import Action, Chain, Hook, Origin, Rule, Tables
from stomion.space.axis import address_text
from stomion.space.boxes import DESTINATION, EVERY, Region, TooMany, meet
from stomion.space.packetwords import packets_text
from stomion.tunnel.attempts import series_of
from stomion.tunnel.expected import is_wide, witness
from stomion.tunnel.picture import End, LanTest, Picture
from stomion.tunnel.sides import sides_of
from stomion.walk.chains import chain_of, each_rule, may_match
from stomion.walk.journey import (
    NEAR,
    Leg,
    Machine,
    RoundTrip,
    Share,
    Side,
    packet_box,
    partition,
    round_trip,
)
from stomion.walk.passage import Fate


@dataclass(frozen=True, slots=True)
class Flow:
    """One flow with its test and what the walk says; `trip` is None where it can't be walked.

    `part` is, of a range that is expected, what fares otherwise. `known` is False where a gateway's filters are not known.
    """

    test: LanTest
    trip: RoundTrip | None
    part: Region = field(default_factory=Region)
    known: bool = True

    @property
    def failed(self) -> bool:
        """Ought to pass and was seen not to, or was not tried and can't."""
        if not self.test.expected:
            return False
        if self.test.seen:
            return not self.test.passed
        return self.trip is not None and self.trip.broken is not None

    @property
    def open(self) -> bool:
        """Ought to be blocked and passed, or was not tried and nothing of either end's tables stops it."""
        if self.test.expected:
            return False
        return self.test.passed if self.test.seen else self.known and self.trip is not None and self.trip.works

    @property
    def whose(self) -> str:
        """Whose tables the walk speaks of, to begin a sentence."""
        return "The tables of both ends" if self.known else "The tables that are known"

    @property
    def broken(self) -> Leg | None:
        return self.trip.broken if self.trip is not None else None


@dataclass(frozen=True, slots=True)
class Flows:
    """All flows of a tunnel, and the partition of all its packets by direction (from the left, from the right)."""

    sides: tuple[Side, Side]
    flows: tuple[Flow, ...]
    shares: tuple[tuple[Share, ...], tuple[Share, ...]]
    given_up: tuple[str, ...] = ()
    """What could not be worked out, as it falls into too many parts."""

    def ends_of(self, flow_from_left: bool, leg: Leg, back: bool) -> int:
        """The end (0 left, 1 right) at which a leg ended; `back` where it is an answer's."""
        sender = 0 if flow_from_left else 1
        if back:
            sender = 1 - sender
        return sender if leg.at == NEAR else 1 - sender


def flows_of(picture: Picture) -> Flows | None:
    """None where no end's tables are known. Nothing is worked out twice for one picture."""
    if all(end.tables is None for end in picture.ends):
        return None
    known = picture.worked_out.get("flows")
    if not isinstance(known, Flows):
        known = picture.worked_out["flows"] = _flows(picture)
    return known


def overtaken(picture: Picture, test: LanTest) -> bool:
    """Was something changed at an end since a test, and the same tried again? It says nothing of how things are now."""
    if test.at is None or not picture.changes:
        return False
    again = [t.at for t in picture.tests if t.key == test.key and t.at is not None]
    changed = [c.at for c in picture.changes if c.at is not None and not c.pending]
    return any(test.at < c <= later for c in changed for later in again)


def _flows(picture: Picture) -> Flows:
    between = _between(picture)
    tried = (*(t for t in picture.tests if not overtaken(picture, t)), *_pinged(picture), *picture.expected)
    flows = tuple(_flow(between.sides, between.shares, t) for t in tried)
    return Flows(between.sides, flows, between.shares, between.given_up)


def _pinged(picture: Picture) -> list[LanTest]:
    """Continuous pings as tests: how each fares at its end, after the tunnel came up."""
    out = []
    for attempt, series in zip(series_of(picture), picture.pings, strict=True):
        at, where = attempt.at, series.where
        out.append(
            LanTest(
                series.from_left, attempt.passes, True, at, where, "icmp", series.address, series.to, series.source,
                sent=attempt.sent, received=attempt.received, continuous=True,
            )
        )  # fmt: skip
    return out


@dataclass(frozen=True, slots=True)
class _Between:
    """All packets between two ends, whatever was tested."""

    right: End
    sides: tuple[Side, Side]
    shares: tuple[tuple[Share, ...], tuple[Share, ...]]
    given_up: tuple[str, ...]


def _between(picture: Picture) -> _Between:
    """Two pictures of the same two ends share this: it stays with the left one of them."""
    left, right = picture.ends
    known = left.worked_out.get("between")
    if isinstance(known, _Between) and known.right is right:
        return known
    sides = sides_of(picture)
    shares: list[tuple[Share, ...]] = []
    given_up: list[str] = []
    for sender, receiver in (sides, sides[::-1]):
        try:
            shares.append(_shares(sender, receiver))
        except TooMany:
            shares.append(())
            text = "the packets fall into too many parts to be divided; what is said of this way rests on tests alone"
            given_up.append(f"{picture.name}, {sender.site} to {receiver.site}: {text}")
    found = left.worked_out["between"] = _Between(right, sides, (shares[0], shares[1]), tuple(given_up))
    return found


def _flow(sides: tuple[Side, Side], shares: tuple[tuple[Share, ...], tuple[Share, ...]], test: LanTest) -> Flow:
    known = all(_filters_known(s) for s in sides)
    part = Region()
    if is_own(test):
        return Flow(test, None, known=known)
    if is_wide(test):
        sender, receiver = sides if test.from_left else sides[::-1]
        try:
            test, part = witness(sender, receiver, shares[0 if test.from_left else 1], test)
        except (ValueError, TooMany, IndexError):
            return Flow(test, None)
    return Flow(test, _walked(sides, test), part, known)


def is_own(test: LanTest) -> bool:
    """Did a gateway itself send it? Its own packets leave with its outer address and pass no forwarding: they are no LAN's."""
    return test.seen and not test.source and "/" not in test.who


def _filters_known(side: Side) -> bool:
    """A sheet without filters says that there are none; a system whose rules were not given says nothing."""
    return side.gateway is not None and (side.gateway.source is Origin.SHEET or bool(side.gateway.chains))


def _shares(sender: Side, receiver: Side) -> tuple[Share, ...]:
    if sender.gateway is None or not sender.lans or not receiver.lans:
        return ()
    return tuple(partition(sender, receiver))


def _walked(sides: tuple[Side, Side], test: LanTest) -> RoundTrip | None:
    sender, receiver = sides if test.from_left else sides[::-1]
    source = test.source or _some_address(sender)
    if not source or not test.to:
        return None
    try:
        box = packet_box(source, test.to, test.service)
    except ValueError:
        return None
    try:
        return round_trip(sender, receiver, box)
    except (TooMany, IndexError):
        return None


def _some_address(side: Side) -> str:
    """An address of the side's LAN for a test whose host is not known by address: not the network's and not the gateway's."""
    for low, high in side.lans:
        for candidate in range(low + 2, min(high, low + 20)):
            if side.gateway is None or not side.gateway.is_own(candidate):
                return address_text(candidate)
    return ""


@dataclass(frozen=True, slots=True)
class Break:
    """Where traffic breaks: the end that must change, the leg, and the flow or the share of all packets that shows it."""

    end: End
    leg: Leg
    from_left: bool
    flow: Flow | None = None
    share: Share | None = None
    back: bool = False

    @property
    def rule(self) -> Rule | None:
        return self.leg.rule

    @property
    def chain(self) -> Chain | None:
        return self.leg.passage.chain if self.leg.passage is not None else None


def breaks(picture: Picture) -> list[Break]:
    """Every place where traffic that ought to pass is seen to end: failed flows first, then shares of all packets."""
    flows = flows_of(picture)
    if flows is None:
        return []
    out = []
    for flow in flows.flows:
        elsewhere = _sent_elsewhere(flow)
        leg = elsewhere or flow.broken
        if not flow.failed or leg is None or flow.trip is None:
            continue
        back = elsewhere is None and flow.trip.on_the_way_back
        out.append(
            Break(
                picture.ends[flows.ends_of(flow.test.from_left, leg, back)], leg, flow.test.from_left, flow, None, back
            )
        )
    return out + _share_breaks(picture, flows)


def _sent_elsewhere(flow: Flow) -> Leg | None:
    """A question that the receiving gateway sends to another host than the one it asks: a destination translation caught it, whatever
    became of it then."""
    there = flow.trip.there if flow.trip is not None else None
    if there is None or not flow.test.seen or there.passage is None:
        return None
    caught = next((s for at, s in there.steps if at != NEAR and s.sets is not None and s.sets[0] == DESTINATION), None)
    if caught is None or caught.rule is None:
        return None
    return replace(
        there, fate=Fate.TRANSLATED, ended=caught, passage=msgspec.structs.replace(there.passage, decided=caught)
    )


def _share_breaks(picture: Picture, flows: Flows) -> list[Break]:
    """Shares of all packets that are translated or have no way, in a direction that no passed test contradicts."""
    out = []
    for index, shares in enumerate(flows.shares):
        from_left = index == 0
        passed = any(t.passed and t.expected and t.from_left is from_left for t in picture.tests)
        for share in shares:
            if share.place is Machine.HOST and any(s.way is not None and s.way.via for _, s in share.sample.steps):
                # Another router may know the way on: only a test that fails speaks against it.
                continue
            if passed or share.fate not in (Fate.TRANSLATED, Fate.LOST, Fate.LEAKED, Fate.LOOPING):
                continue
            end = picture.ends[flows.ends_of(from_left, share.sample, False)]
            out.append(Break(end, share.sample, from_left, None, share))
    return out


def all_alike(picture: Picture, found: Break) -> Region:
    """All packets that fare as the one of a break does, where they are known; else this one alone."""
    flows = flows_of(picture)
    packet = Region((found.leg.box,))
    shares = flows.shares[0 if found.from_left is not found.back else 1] if flows is not None else ()
    share = found.share or next((s for s in shares if s.fate is found.leg.fate and s.region & packet), None)
    return share.region if share is not None else packet


def covering(
    tables: Tables, leg: Leg, region: Region, hooks: tuple[Hook, ...], actions: tuple[Action, ...]
) -> tuple[list[Rule], list[Rule]]:
    """Other rules with one of these actions that match something of a region where the rule that decided a leg was asked, on the same
    interfaces and between the same zones: (those above that rule, those below it)."""
    above: list[Rule] = []
    below: list[Rule] = []
    side = above
    for _, other in each_rule(tables, hooks):
        if other is leg.rule:
            side = below
        elif other.action in actions and _asked(other, leg) and Region(other.boxes) & region:
            side.append(other)
    return above, below


def _asked(rule: Rule, leg: Leg) -> bool:
    return leg.passage is None or may_match(rule, leg.passage.setting)


def rules_below(tables: Tables, leg: Leg) -> list[Rule]:
    """Rules further down the list that decided a leg, that match its packet too and do something else with it."""
    chain = chain_of(tables, leg.rule) if leg.rule is not None else None
    if chain is None:
        return []
    at = next(i for i, r in enumerate(chain.rules) if r is leg.rule)
    other = [r for r in chain.rules[at + 1 :] if leg.rule is not None and r.action != leg.rule.action]
    return [r for r in other if _asked(r, leg) and any(meet(b, leg.box) for b in r.boxes)]


EXEMPTS = (Action.RETURN, Action.ACCEPT)
"""Actions of a translation chain that leave a packet as it is."""


def flow_text(test: LanTest) -> str:
    """`ping 10.64.0.9 > 10.96.0.10`."""
    service = "ping" if test.service == "icmp" else test.service
    return f"{service} {test.source or test.who} > {test.to}"


def asked_text(flow: Flow) -> str:
    """Of a flow that stands for a range: what was expected, and what of it fares otherwise; empty for others."""
    if not flow.test.asked:
        return ""
    if flow.test.expected:
        part = f"; not passing: {packets_text(flow.part)}" if flow.part else ""
        return f"expected to pass: {flow.test.asked}{part}"
    part = f"; passing: {packets_text(flow.part)}" if flow.part else ""
    return f"expected to be blocked: {flow.test.asked}{part}"


def is_everything(rule: Rule) -> bool:
    """Does a rule match every packet, as a table's last line does?"""
    return any(box == EVERY for box in rule.boxes)
