"""A failover as a drawing: lanes over one time axis, the outage as its parts, and what its timers promise."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.model.event import What
from stomion.model.provenance import Provenance
from stomion.model.record import NEIGHBOUR_DOWN, NEIGHBOUR_FORMING, NEIGHBOUR_UP
from stomion.tunnel.failover import Switch, about, pair_of, switches_of
from stomion.tunnel.picture import Change, End, Picture, PingSeries
from stomion.tunnel.timers import Part, Prediction, parts_of, predicted

PAD = 0.25
"""Share of the time of a failover that is shown before and after it."""
LEAST_S = 2.0


@dataclass(frozen=True, slots=True)
class Stretch:
    """A piece of a lane: `kind` is `stands`, `coming`, `gone` or `unknown`; `label` is written where it begins."""

    since: float
    until: float
    kind: str
    label: str = ""


@dataclass(frozen=True, slots=True)
class Lane:
    """One line of the drawing. `shares` has, for traffic, the share of probes answered in a span; None where none was sent."""

    name: str
    of: str
    stretches: tuple[Stretch, ...] = ()
    signs: tuple[tuple[float, str, str], ...] = ()
    """(moment, sign, tone) of what happened at a moment."""
    shares: Callable[[float, float], float | None] | None = None


@dataclass(frozen=True, slots=True)
class Happening:
    """An event with its place, in the order of time."""

    at: float
    text: str
    where: Provenance


@dataclass(frozen=True, slots=True)
class FailoverDrawing:
    """One switch of a pair with everything around it. `since` and `until` bound what is worth seeing."""

    primary: Picture
    standby: Picture
    switch: Switch
    number: int
    count: int
    end: End
    since: float
    until: float
    lanes: tuple[Lane, ...]
    parts: tuple[Part, ...]
    prediction: Prediction | None
    happened: tuple[Happening, ...]


@dataclass(frozen=True, slots=True)
class Readiness:
    """A pair that has not switched as far as is known: what the standby is and whether it would work."""

    primary: Picture
    standby: Picture
    words: tuple[str, ...]


def switch_count(diagnosis: Diagnosis) -> int:
    """How many switches there are to choose from."""
    pair = _pair(diagnosis)
    return sum(1 for _ in switches_of(*pair)) if pair is not None else 0


def failover_of(diagnosis: Diagnosis, number: int) -> FailoverDrawing | None:
    """The switch with that number, from 0; None where the tunnel is of no pair, or never switched."""
    pair = _pair(diagnosis)
    found = list(switches_of(*pair)) if pair is not None else []
    if pair is None or not found:
        return None
    number = max(0, min(number, len(found) - 1))
    primary, standby = pair
    switch = found[number]
    before = found[number - 1].until if number and found[number - 1].until < switch.detected else None
    after = found[number + 1].loss or found[number + 1].detected if number + 1 < len(found) else None
    since, until = _bounds(switch, before, after)
    prediction = predicted(primary, standby, switch)
    end = next(e for e in primary.ends if e.site == switch.site)
    moves = _moves(primary, standby)
    lanes = (
        *_links(primary, standby, switch, end, moves, since, until), _detection(end, switch, since),
        *_neighbours(primary, standby, end, since, until),
        *_sas(primary, standby, switch, moves, since, until), *_route(primary, standby, switch, moves, since, until),
        *_traffic(primary, standby),
    )  # fmt: skip
    return FailoverDrawing(
        primary, standby, switch, number, len(found), end, since, until, lanes, parts_of(switch, prediction), prediction,
        tuple(_happened(moves, since, until)),
    )  # fmt: skip


def readiness_of(diagnosis: Diagnosis) -> Readiness | None:
    """Of a pair without a switch: what stands behind the primary. None for a tunnel that is of no pair."""
    pair = _pair(diagnosis)
    if pair is None:
        return None
    primary, standby = pair
    broken = next((f for f in diagnosis.findings if f.code == "standby-broken"), None)
    words = [f"{primary.name} is the primary, {standby.name} its standby."]
    words.append(broken.summary if broken else "No failover was seen: that the standby takes over is not proven.")
    end = next((e for e in primary.ends if e.sheet is not None and e.sheet.dpd is not None), None)
    if end is not None and end.sheet is not None and end.sheet.dpd is not None:
        dpd = end.sheet.dpd
        words.append(
            f"{end.title} probes every {dpd.interval_s:g} s" + (f", {dpd.retries} tries." if dpd.retries else ".")
        )
    return Readiness(primary, standby, tuple(words))


def _pair(diagnosis: Diagnosis) -> tuple[Picture, Picture] | None:
    """The pair this tunnel is the primary or the standby of."""
    own = pair_of(diagnosis.picture)
    if own is not None:
        return own
    for one in diagnosis.picture.beside:
        found = next((e.sheet.role for e in one.ends if e.sheet is not None and e.sheet.role), "")
        mine = next((e.sheet.role for e in diagnosis.picture.ends if e.sheet is not None and e.sheet.role), "")
        if (found, mine) == ("primary", "standby"):
            return one, diagnosis.picture
    return None


def _bounds(switch: Switch, before: float | None, after: float | None) -> tuple[float, float]:
    begin = switch.loss if switch.loss is not None else switch.detected
    ends = [switch.detected, switch.up, switch.moved, switch.restored, switch.link_back, switch.back, switch.returned]
    last = max(at for at in ends if at is not None)
    pad = max((last - begin) * PAD, LEAST_S)
    since = begin - pad if before is None else max(begin - pad, before)
    return since, min(last + pad, after) if after is not None and after > last else last + pad


def _moves(primary: Picture, standby: Picture) -> list[Change]:
    told = {m.where: m for m in (*primary.moves, *standby.moves) if m.at is not None}
    return sorted(told.values(), key=lambda m: m.at or 0.0)


def _spans(
    changes: Iterable[tuple[float, str, str]], first: tuple[str, str], since: float, until: float
) -> tuple[Stretch, ...]:
    """A lane from (moment, kind, label) of its changes; `first` is (kind, label) before them."""
    found: list[Stretch] = []
    at, (kind, label) = since, first
    for moment, later, text in sorted(changes):
        if moment <= since:
            kind, label = later, text
            continue
        if moment >= until:
            break
        found.append(Stretch(at, moment, kind, label))
        at, kind, label = moment, later, text
    found.append(Stretch(at, until, kind, label))
    return tuple(found)


def _links(
    primary: Picture, standby: Picture, switch: Switch, end: End, moves: list[Change], since: float, until: float
) -> list[Lane]:
    """The lines beneath the two tunnels at the site that switched, where events tell of them."""
    kinds = {"link-down": "gone", "link-up": "stands"}
    of_the_other = {e.where for e in standby.link_events} - {e.where for e in primary.link_events}
    here = [m for m in moves if m.site == end.site and m.what in kinds and m.where not in of_the_other]
    downs = [(m.at or 0.0, kinds[m.what], "") for m in here]
    names = (primary.name, standby.name)
    known = _spans(downs, ("stands", ""), since, until) if downs else (Stretch(since, until, "unknown"),)
    return [
        Lane("link", names[0], known),
        Lane("", names[1], _standby_link(primary, standby, switch, end, since, until)),
    ]


def _standby_link(
    primary: Picture, standby: Picture, switch: Switch, end: End, since: float, until: float
) -> tuple[Stretch, ...]:
    """By events of a link that is not the primary's too; an SA that comes up over it proves that it stands by then."""
    shared = {e.where for e in primary.link_events}
    own = [e for e in standby.link_events if e.where not in shared and e.site == end.site and e.at is not None]
    changes = [(e.at or 0.0, "stands" if e.up else "gone", "") for e in own]
    changes += [(switch.up, "stands", "")] if switch.up is not None else []
    first = "unknown"
    if own:
        first = "gone" if min(own, key=lambda e: e.at or 0.0).up else "stands"
    return _spans(changes, (first, ""), since, until)


def _detection(end: End, switch: Switch, since: float) -> Lane:
    """Probes that were sent again, and the moment at which the peer was given up."""
    again = [
        e.at for e in end.events if e.what is What.RESENT and e.at is not None and since <= e.at <= switch.detected
    ]
    signs = [(at, "?", "doubt") for at in sorted(set(again))]
    return Lane("detection", "", signs=(*signs, (switch.detected, "╳", "change")))


_NEIGHBOUR = {NEIGHBOUR_UP: "stands", NEIGHBOUR_DOWN: "gone", NEIGHBOUR_FORMING: "coming"}


def _neighbours(primary: Picture, standby: Picture, end: End, since: float, until: float) -> list[Lane]:
    """Of each of the two tunnels the first routing neighbour that was told of at the site that switched; one that either may reach once."""
    lanes: list[Lane] = []
    firsts = [next((a for a in p.adjacencies if a.site == end.site), None) for p in (primary, standby)]
    for picture, near in zip((primary, standby), firsts, strict=True):
        if near is None or (lanes and firsts[0] == near):
            continue
        changes = [(c.at, _NEIGHBOUR[c.what], "") for c in near.changes if c.at is not None]
        first = "stands" if near.changes[0].what == NEIGHBOUR_DOWN else "gone"
        whose = near.address if firsts[0] == firsts[1] else picture.name
        lanes.append(Lane("" if lanes else "neighbour", whose, _spans(changes, (first, ""), since, until)))
    return lanes


def _sas(
    primary: Picture, standby: Picture, switch: Switch, moves: list[Change], since: float, until: float
) -> list[Lane]:
    lanes = []
    for picture, other in ((primary, standby), (standby, primary)):
        changes = [
            (m.at or 0.0, "stands" if m.what == "tunnel-up" else "gone", "")
            for m in moves
            if m.what in ("tunnel-up", "tunnel-down") and about(m, picture, other)
        ]
        if picture is primary:
            changes.append((switch.detected, "gone", ""))
            changes += [(switch.back, "stands", "")] if switch.back is not None else []
            first = "stands"
        else:
            changes += [(switch.up, "stands", "")] if switch.up is not None else []
            if switch.up is not None and switch.up > switch.detected:
                changes.append((switch.detected, "coming", ""))
            first = (
                "gone"
                if switch.up is not None and switch.up > switch.detected
                else "stands"
                if switch.up
                else "unknown"
            )
        lanes.append(Lane("SA" if picture is primary else "", picture.name, _spans(changes, (first, ""), since, until)))
    return lanes


def _route(
    primary: Picture, standby: Picture, switch: Switch, moves: list[Change], since: float, until: float
) -> list[Lane]:
    """Which of the two took the traffic, by routes and roles; nothing while the route was withdrawn."""
    if switch.moved is None:
        return [Lane("route", "", (Stretch(since, until, "unknown"),))]
    changes = [(switch.moved, "stands", standby.name)]
    changes += [
        (m.at or 0.0, "gone", "")
        for m in moves
        if m.what == "route-changed" and "withdrawn" in m.detail and (m.at or 0.0) < switch.moved
    ]
    changes += [(switch.returned, "stands", primary.name)] if switch.returned is not None else []
    return [Lane("route", "", _spans(changes, ("stands", primary.name), since, until))]


def _traffic(primary: Picture, standby: Picture) -> list[Lane]:
    """Continuous pings, one lane for each direction that has one."""
    lanes = []
    series = {s.where: s for p in (primary, standby) for s in p.pings}
    for from_left, sign in ((True, "→"), (False, "←")):
        found = next((s for s in series.values() if s.from_left is from_left), None)
        if found is not None:
            start = primary.ends[0 if from_left else 1]
            lanes.append(Lane(f"pings {sign}", f"from {start.title}", shares=_shares(found)))
    return lanes


def _shares(series: PingSeries) -> Callable[[float, float], float | None]:
    rows = [(at, got) for at, got in zip(series.times, series.answered, strict=True) if at is not None]

    def share(since: float, until: float) -> float | None:
        inside = [got for at, got in rows if since <= at < until]
        return sum(inside) / len(inside) if inside else None

    return share


def _happened(moves: list[Change], since: float, until: float) -> Iterable[Happening]:
    for m in moves:
        if since <= (m.at or 0.0) <= until:
            about_it = " ".join(part for part in (m.subject, m.detail) if part)
            yield Happening(
                m.at or 0.0, f"{m.site}: {m.what.replace('-', ' ')}" + (f" ({about_it})" if about_it else ""), m.where
            )
