"""The fewest changes after which everything that is expected of two LANs would pass, and nothing that must not: worked out by trying them
in the picture, one after the other, as one obstacle may stand behind another."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from stomion.errors import UsageError
from stomion.model.box import Interval
from stomion.model.tables import Action, Hook, Origin, Rule
from stomion.space.axis import joined
from stomion.space.boxes import DESTINATION, PORT, PROTOCOL, SOURCE, Region, TooMany
from stomion.space.services import ANY_PORT, ANY_PROTOCOL, service_text
from stomion.tunnel.flows import Flow, Flows, covering, flows_of
from stomion.tunnel.picture import Picture
from stomion.tunnel.up import up_of
from stomion.walk.journey import NEAR, Leg, Machine
from stomion.walk.passage import Decision, Fate
from stomion.whatif.attempt import Try
from stomion.whatif.edits import added, raised
from stomion.whatif.suggest import suggestion
from stomion.whatif.tables import Place, amiss, by_tables, tried
from stomion.whatif.typed import parse_change, ranges_text

ROUNDS = 12
"""Changes that are tried one behind the other: a packet's way has no more obstacles than that."""


@dataclass(frozen=True, slots=True)
class Need:
    """One change: at which site (`host` names a host behind it), in words, and for which flows as people name them."""

    site: str
    words: str
    flows: tuple[str, ...]
    host: str = ""


@dataclass(frozen=True, slots=True)
class Needs:
    """All changes in the order in which they are made, the flows that they would mend, and those that no change here mends."""

    changes: tuple[Need, ...]
    mended: int
    left: tuple[Flow, ...]


def needs_of(picture: Picture) -> Needs | None:
    """None where no tables are known, or nothing is expected. Each round makes one change, so that later ones stand on it."""
    attempt = Try("A", replace(by_tables(picture), pings=()))
    standing = up_of(picture).now
    found = flows_of(attempt.picture)
    if found is None or not found.flows:
        return None
    first = sum(amiss(f) and _key(f) not in _as_wanted(picture) for f in found.flows)
    made: list[Need] = []
    given_up = _as_wanted(picture)
    for _ in range(ROUNDS):
        wrong = [f for f in found.flows if amiss(f) and _key(f) not in given_up]
        if not wrong:
            break
        step = _step(attempt, found, wrong, standing)
        if step is None:
            given_up.add(_key(wrong[0]))
            continue
        after, need = step
        later = flows_of(after.picture)
        if later is None or not _better(found, later):
            given_up.add(_key(wrong[0]))
            continue
        attempt, found = after, later
        made.append(need)
    seen = _as_wanted(picture)
    left = tuple(f for f in found.flows if amiss(f) and _key(f) not in seen)
    mended = first - len(left)
    # Half of a way leads nowhere: changes that mend nothing in the end are none.
    return Needs(tuple(made) if mended else (), mended, left)


def _as_wanted(picture: Picture) -> set[tuple[object, ...]]:
    """Flows that were tried and came out as they should: whatever the tables say, nothing is lacking for them."""
    found = flows_of(picture)
    return {_key(f) for f in (found.flows if found else ()) if f.test.seen and not f.failed and not f.open}


def _key(flow: Flow) -> tuple[object, ...]:
    test = flow.test
    return test.asked or (test.source, test.to, test.service), test.who, test.expected


def _better(before: Flows, after: Flows) -> bool:
    """Is a flow mended, or does it come further than before, and is none spoiled?"""
    pairs = list(zip(before.flows, after.flows, strict=True))
    if any(amiss(b) and not amiss(a) for a, b in pairs):
        return False
    return any(amiss(a) and (not amiss(b) or _ends(a) != _ends(b)) for a, b in pairs)


def _ends(flow: Flow) -> tuple[object, ...]:
    leg = flow.broken
    if leg is None or flow.trip is None:
        return ()
    return leg.fate, leg.at, leg.place, flow.trip.on_the_way_back, leg.rule and leg.rule.label, flow.part.size()


def _step(attempt: Try, found: Flows, wrong: list[Flow], standing: bool) -> tuple[Try, Need] | None:
    """One change for the first flow that is wrong and for all that are stopped by the same rule. Routes of a tunnel that does not stand
    (`standing`) come with its SA: a system's tables lack them for no fault of theirs."""
    first = wrong[0]
    if first.open:
        return _block(attempt, found, first)
    leg = first.broken
    if leg is None:
        return None
    if leg.fate is Fate.DROPPED:
        alike = [f for f in wrong if not f.open and _same_end(found, f, first)]
        for group in _groups(found, alike):
            done = _move(attempt, found, group) or _allow(attempt, found, group)
            if done is not None:
                return done
        return None
    proposed = suggestion(found, first)
    if proposed is None:
        return None
    place, text = proposed
    tables = place.tables(attempt.picture)
    if text.startswith("route") and not place.host and not standing and tables and tables.source is Origin.SYSTEM:
        return None
    return _made(attempt, place, text, leg.rule, [first])


def _same_end(found: Flows, a: Flow, b: Flow) -> bool:
    one, two = a.broken, b.broken
    if one is None or two is None or one.rule is not two.rule or one.fate is not two.fate or one.place is not two.place:
        return False
    return _side(found, a, one) == _side(found, b, two)


def _side(found: Flows, flow: Flow, leg: Leg) -> int:
    return found.ends_of(flow.test.from_left, leg, flow.trip is not None and flow.trip.on_the_way_back)


Asked = tuple[tuple[Interval, ...], tuple[Interval, ...], tuple[tuple[Interval, Interval], ...]]
"""Sources, destinations and services that a rule would allow, all with all."""


def _asked(flow: Flow, lans: Iterable[Interval]) -> Asked | None:
    """What of a flow is to pass, in the direction in which it is stopped."""
    leg = flow.broken
    if leg is None:
        return None
    boxes = flow.part.boxes or (leg.box,)
    back = flow.trip is not None and flow.trip.on_the_way_back
    turned = bool(flow.part) and back
    source, to = (DESTINATION, SOURCE) if turned else (SOURCE, DESTINATION)
    sources, targets = (tuple(joined({b[axis] for b in boxes})) for axis in (source, to))
    if not flow.test.source and not flow.part and not back:
        # A host that nothing gives an address for may be any of its LAN.
        sources = tuple(joined(lans)) or sources
    services = tuple(sorted({(b[PROTOCOL], ANY_PORT if back else b[PORT]) for b in boxes}))
    return sources, targets, services


def _lans(found: Flows, flow: Flow) -> tuple[Interval, ...]:
    return found.sides[0 if flow.test.from_left else 1].lans


def _groups(found: Flows, flows: list[Flow]) -> Iterator[list[Flow]]:
    """Flows that one rule can let pass, the largest group first: the same two ranges with several services, or the same services from
    several sources or to several targets."""
    shapes: dict[tuple[object, ...], list[Flow]] = {}
    for flow in flows:
        asked = _asked(flow, _lans(found, flow))
        if asked is None:
            continue
        sources, targets, services = asked
        for key in (("services", sources, targets), ("sources", targets, services), ("targets", sources, services)):
            shapes.setdefault(key, []).append(flow)
    yield from sorted(shapes.values(), key=len, reverse=True)


def _move(attempt: Try, found: Flows, flows: list[Flow]) -> tuple[Try, Need] | None:
    """An allowing rule that stands below the one that drops, put above it: nothing is lacking but the order."""
    leg = flows[0].broken
    if leg is None or leg.rule is None or leg.place is Machine.HOST:
        return None
    place = Place(_side(found, flows[0], leg))
    tables, deciding = place.tables(attempt.picture), leg.rule
    if tables is None:
        return None
    region = Region(tuple(box for f in flows for box in (f.part.boxes or ((f.broken.box,) if f.broken else ()))))
    for rule in covering(tables, leg, region, (Hook.FORWARD, Hook.PREROUTING), (Action.ACCEPT,))[1]:
        if region - Region(rule.boxes):
            continue
        try:
            after = tried(attempt, place, lambda t, rule=rule: raised(t, rule, deciding))  # type: ignore[misc]
        except UsageError:
            continue
        site = attempt.picture.ends[place.side].site
        return after, Need(site, after.changes[-1].words, tuple(dict.fromkeys(map(_named, flows))))
    return None


def _allow(attempt: Try, found: Flows, flows: list[Flow]) -> tuple[Try, Need] | None:
    leg = flows[0].broken
    asked = [a for f in flows if (a := _asked(f, _lans(found, f))) is not None]
    if leg is None or not asked:
        return None
    side = _side(found, flows[0], leg)
    host = ""
    if leg.place is Machine.HOST:
        address = leg.box[SOURCE if leg.at == NEAR else DESTINATION][0]
        machine = found.sides[side].host_at(address)
        if machine is None:
            return None
        host = machine.host
    sources = ranges_text(joined({i for a in asked for i in a[0]}))
    targets = ranges_text(joined({i for a in asked for i in a[1]}))
    text = f"allow {sources} > {targets} {_services(s for a in asked for s in a[2])}".rstrip()
    return _made(attempt, Place(side, host), text, leg.rule, flows)


def _services(services: Iterable[tuple[Interval, Interval]]) -> str:
    rows = list(dict.fromkeys(services))
    if (ANY_PROTOCOL, ANY_PORT) in rows:
        return ""
    # A name stands for both address families where both are meant.
    words = [service_text(p, q) for p, q in rows if p != (58, 58) or ((1, 1), q) not in rows]
    return ",".join(words)


def _block(attempt: Try, found: Flows, flow: Flow) -> tuple[Try, Need] | None:
    """A rule that stops what must not pass: at the gateway that it goes to, above the rule that lets it through."""
    trip = flow.trip
    if trip is None:
        return None
    boxes = flow.part.boxes or (trip.there.box,)
    side = 1 if flow.test.from_left else 0
    known = flow.test.source or flow.part
    sources = ranges_text(joined({b[SOURCE] for b in boxes}) if known else _lans(found, flow))
    targets = ranges_text(joined({b[DESTINATION] for b in boxes}))
    text = f"drop {sources} > {targets} {_services((b[PROTOCOL], b[PORT]) for b in boxes)}".rstrip()
    passing = [s.rule for at, s in trip.there.steps if at != NEAR and s.what is Decision.FILTER and s.rule is not None]
    return _made(attempt, Place(side), text, passing[0] if passing else None, [flow])


def _made(attempt: Try, place: Place, text: str, above: Rule | None, flows: list[Flow]) -> tuple[Try, Need] | None:
    tables = place.tables(attempt.picture)
    if tables is None:
        return None
    try:
        typed = parse_change(text, tables)
        after = tried(attempt, place, lambda t: added(t, typed, above, last=above is None))
    except (UsageError, TooMany):
        return None
    end = attempt.picture.ends[place.side]
    words = after.changes[-1].words
    return after, Need(end.site, words, tuple(dict.fromkeys(_named(f) for f in flows)), place.host)


def _named(flow: Flow) -> str:
    test = flow.test
    return test.asked or f"{test.source or test.who} > {test.to} {test.service}"
