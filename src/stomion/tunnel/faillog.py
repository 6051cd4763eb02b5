"""What an end's own log and counters tell of a failover, as the events that a monitor would have written: for sites without records."""

from __future__ import annotations

from itertools import pairwise

from stomion.model.event import Event, What
from stomion.tunnel.picture import Change, End, Picture

BY_COUNTERS = "by its counters"
EARLY_S = 2.0
"""Seconds by which a moment that was worked out from counters may lie before what brought it about."""
TOGETHER_S = 1.0
"""Seconds within which lines of a log tell of the same happening."""


def moves_of_log(primary: Picture, standby: Picture, end: End) -> list[Change]:
    """`peer-lost` and `tunnel-up` by the log, `role-active` by the counters; empty where the log does not tell the two apart."""
    mate = next((e for e in standby.ends if e.site == end.site), None)
    lines = _lines(end, mate)
    if mate is None or lines is None:
        return []
    found: list[Change] = []
    for event in sorted((e for e in end.events if e.at is not None), key=lambda e: e.at or 0.0):
        of_primary = _is_of(event, lines)
        if of_primary is None:
            continue
        name = primary.name if of_primary else standby.name
        if event.what in (What.GAVE_UP, What.PEER_LOST) and of_primary:
            _add(found, Change(end.site, event.at, event.where, name, "by its log", "peer-lost"))
        elif event.what is What.CHILD_UP:
            _add(found, Change(end.site, event.at, event.where, name, "by its log", "tunnel-up"))
    begun = _first_sent(mate)
    lost = [m.at for m in found if m.what == "peer-lost" and m.at is not None]
    if begun is not None and lost:
        # Worked out from a rate, it may come out a little before its cause.
        at = next((x for x in lost if 0 < x - begun <= EARLY_S), begun)
        found.append(Change(end.site, at, mate.series[0].places()[0], standby.name, BY_COUNTERS, "role-active"))
    return found


def _add(found: list[Change], change: Change) -> None:
    """Once, where several lines tell of it."""
    for other in reversed(found):
        alike = (other.what, other.subject) == (change.what, change.subject)
        if alike and (change.at or 0.0) - (other.at or 0.0) <= TOGETHER_S:
            return
    found.append(change)


Lines = tuple[frozenset[str], frozenset[str]]
"""What names the primary in a log's lines, and what the standby: addresses, names, and the numbers its writer gave the SAs."""


def _lines(end: End, mate: End | None) -> Lines | None:
    """By the address that only one of the two has, and by the names of the sheets' tunnels."""
    if mate is None or end.sheet is None or mate.sheet is None:
        return None
    first, second = ({s.local, s.name, s.peer} for s in (end.sheet, mate.sheet))
    one, two = first - second, second - first
    for event in (*end.events, *mate.events):
        if event.what is not What.IKE_UP:
            continue
        told = {event.own, event.peer}
        for marks, others in ((one, two), (two, one)):
            if told & marks and not told & others:
                marks.update(x for x in (event.conn, event.sa and f"#{event.sa}") if x)
    shared = one & two
    return frozenset(one - shared), frozenset(two - shared)


def _is_of(event: Event, lines: Lines) -> bool | None:
    """True for the primary, False for the standby, None where the line names neither or both."""
    told = {event.own, event.peer, event.conn, event.sa and f"#{event.sa}"}
    first, second = bool(told & lines[0]), bool(told & lines[1])
    if first is second:
        named = [_named(event.text, side) for side in lines]
        first, second = named[0], named[1]
    return None if first is second else first


def _named(text: str, side: frozenset[str]) -> bool:
    """Does a name of a tunnel stand in a line, followed by a number or the end of a word?"""
    return any(f" {name}{mark}" in text for name in side if name and not name[0].isdecimal() for mark in "{ [:")


def sends_into(picture: Picture, site: str) -> bool:
    """Do an end's counters show that it sent packets into a tunnel?"""
    return any(e.site == site and _first_sent(e) is not None for e in picture.ends)


def _first_sent(end: End) -> float | None:
    """The moment at which an end began to send into an SA, by the rate of what followed; None where its counters do not tell."""
    rows = [(r.at, r.out) for r in end.readings if r.at is not None]
    for number, ((before, was), (at, now)) in enumerate(pairwise(rows)):
        if now <= was:
            continue
        later = rows[number + 2] if number + 2 < len(rows) else None
        rate = (later[1] - now) / (later[0] - at) if later is not None and later[0] > at else 0.0
        return max(before, at - (now - was) / rate) if rate > 0 else (before + at) / 2
    return None


def loss_by_pings(picture: Picture, detected: float, within: float) -> tuple[float, float] | None:
    """(moment of the loss, how far it may be off): between the last answered probe and the first lost one of the gap in which the peer was
    given up."""
    for series in (*picture.pings, *(s for p in picture.beside for s in p.pings)):
        answered: float | None = None
        first: float | None = None
        for at, got in zip(series.times, series.answered, strict=True):
            if at is None or at > detected:
                continue
            if got:
                answered, first = at, None
            elif first is None:
                first = at
        if first is not None and answered is not None and detected - first <= within:
            return (answered + first) / 2, (first - answered) / 2
    return None
