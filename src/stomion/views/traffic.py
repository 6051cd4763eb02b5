"""Traffic as a drawing: who was to reach whom and what was seen, continuous pings as strips, and the ladder from near to far."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import groupby

from stomion.diagnosis.runner import Diagnosis
from stomion.space.axis import address_number, address_text
from stomion.space.packetwords import packets_text
from stomion.tunnel.attempts import Attempt, attempts_of, latest, of_test, sender
from stomion.tunnel.baseline import Near, checks_of
from stomion.tunnel.expected import asked_words, is_wide, within
from stomion.tunnel.flows import Flow, flows_of
from stomion.tunnel.picture import Change, End, LanTest, Picture, PingSeries
from stomion.vocabulary.durations import span_text
from stomion.vocabulary.times import clock_text

MARKS = {
    "passes": ("━", "proven"),
    "fails": ("╱", "change"),
    "blocked": ("┃", "muted"),
    "leaks": ("╳", "change"),
    "partly": ("┅", "doubt"),
    "untried": ("–", "faint"),
}
"""Sign and tone of what was wanted against what was seen."""
MEANS = {
    "passes": "passes as wanted", "fails": "wanted and fails", "blocked": "blocked as wanted", "leaks": "passes and must not",
    "partly": "in part", "untried": "wanted, not tried",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Entry:
    """One service of a cell: how it fares, and the latest attempt, or the expectation nobody tried."""

    service: str
    fares: str
    attempt: Attempt
    says: str
    """What the tables say of it; empty where they are not known."""

    @property
    def name(self) -> str:
        """`ping` for an echo request, `ping 1,400` for a large one."""
        large = f" {self.attempt.key[-1]:,}" if self.attempt.key[-1] else ""
        return ("ping" if self.attempt.service in ("", "icmp") else self.service) + large


@dataclass(frozen=True, slots=True)
class Matrix:
    """All that was tried or is expected from behind one end: sources down, targets across."""

    end: End
    sources: tuple[str, ...]
    targets: tuple[str, ...]
    cells: dict[tuple[str, str], tuple[Entry, ...]]


@dataclass(frozen=True, slots=True)
class Break:
    """Probes lost in one piece: when the answers stopped and came back (None: they did not), and the change that fits."""

    since: float
    until: float | None
    lost: int
    change: Change | None
    after_s: float | None
    """Seconds from the change to the first lost probe."""

    @property
    def says(self) -> str:
        """`no answer from 14:02:30.4 on, 0.4 s after rule-changed “block” at whelk`."""
        end = f"to {clock_text(self.until)[:-2]}" if self.until is not None else "on"
        said = f"no answer from {clock_text(self.since)[:-2]} {end}, {self.lost:,} lost"
        if self.change is None or self.after_s is None:
            return said
        about = self.change.subject or self.change.detail
        what = self.change.what.replace("-", " ") + (f" “{about}”" if about else "")
        gap = f"{span_text(max(self.after_s, 0.0))} after" if self.after_s > 0 else "right at"
        return f"{said}; {gap} {what} at {self.change.site}"


@dataclass(frozen=True, slots=True)
class Strip:
    """A continuous ping: its probes in order, and where they were lost in one piece."""

    series: PingSeries
    breaks: tuple[Break, ...]

    def shares(self, cells: int) -> list[float | None]:
        """The share of probes answered in each of so many equal pieces; None where a piece has none."""
        count = len(self.series.answered)
        out: list[float | None] = []
        for cell in range(cells):
            piece = self.series.answered[cell * count // cells : (cell + 1) * count // cells]
            out.append(sum(piece) / len(piece) if piece else None)
        return out


@dataclass(frozen=True, slots=True)
class Rung:
    """One step from near to far, seen from an end; `fares` is a key of MARKS, empty where nobody tried it."""

    name: str
    fares: str
    attempt: Attempt | None = None


@dataclass(frozen=True, slots=True)
class TrafficDrawing:
    """`ladders` has one for each end, in the order of the picture."""

    picture: Picture
    matrices: tuple[Matrix, ...]
    strips: tuple[Strip, ...]
    ladders: tuple[tuple[End, tuple[Rung, ...]], ...]


def traffic_of(diagnosis: Diagnosis) -> TrafficDrawing:
    """From the tests, pings and expectations of a tunnel; empty parts where there are none."""
    picture = diagnosis.picture
    matrices = tuple(m for end in picture.ends if (m := _matrix(picture, end)).cells)
    strips = tuple(Strip(s, tuple(_breaks(picture, s))) for s in picture.pings)
    return TrafficDrawing(picture, matrices, strips, tuple((end, _ladder(picture, end)) for end in picture.ends))


def fares(attempt: Attempt) -> str:
    """How an attempt stands against what was expected of it."""
    if attempt.lossy:
        return "partly"
    if attempt.expected:
        return "passes" if attempt.passes else "fails"
    return "leaks" if not attempt.silent else "blocked"


def _matrix(picture: Picture, end: End) -> Matrix:
    other = picture.other(end)
    found: dict[tuple[str, str], dict[str, Entry]] = {}
    flows = flows_of(picture)
    walked = {_key(f.test): f for f in (flows.flows if flows is not None else ())}
    for attempt in attempts_of(picture):
        if sender(picture, attempt) is not end or attempt.before:
            continue
        flow = walked.get((attempt.from_left, attempt.who, attempt.to, attempt.service))
        entry = Entry(attempt.service, fares(attempt), attempt, _walk_says(flow))
        name = f"{attempt.service}{attempt.key[-1] or ''}"
        found.setdefault((_source(attempt.who, end), host_name(attempt.to, other)), {})[name] = entry
    ranges = {f.test.asked: f for f in (flows.flows if flows is not None else ()) if f.test.asked}
    for test in picture.expected:
        if (picture.left if test.from_left else picture.right) is not end:
            continue
        source = "its LAN" if is_wide(test) and test.who == end.site else _source(test.who, end)
        cell = found.setdefault((source, host_name(test.to, other)), {})
        if is_wide(test):
            cell[test.service] = _of_range(test, latest(picture), ranges.get(asked_words(test)))
        elif test.service not in cell:
            cell[test.service] = Entry(test.service, "untried", of_test(test), _walk_says(walked.get(_key(test))))
    sources = tuple(dict.fromkeys(s for s, _ in found))
    targets = tuple(dict.fromkeys(t for _, t in found))
    return Matrix(end, sources, targets, {key: tuple(cell.values()) for key, cell in found.items()})


def _of_range(test: LanTest, tried: tuple[Attempt, ...], flow: Flow | None) -> Entry:
    """What is declared of a whole range: all attempts within it taken together, and what the tables say of every packet."""
    inside = [a for a in tried if a.from_left == test.from_left and within(a.who, a.to, a.service, test)]
    kinds = {fares(replace(a, expected=test.expected)) for a in inside}
    whole = of_test(test)
    if inside:
        sent, received = sum(a.sent for a in inside), sum(a.received for a in inside)
        whole = replace(whole, sent=sent, received=received, at=inside[-1].at, where=inside[-1].where)
    how = "untried" if not kinds else kinds.pop() if len(kinds) == 1 else "partly"
    return Entry(test.service, how, whole, _range_says(test, flow))


def _range_says(test: LanTest, flow: Flow | None) -> str:
    if flow is None or flow.trip is None:
        return ""
    if not flow.part:
        return f"the tables {'let all of it pass' if test.expected else 'stop all of it'}"
    leg = flow.broken
    why = f" ({leg.says or leg.fate.value})" if test.expected and leg is not None else ""
    return f"by the tables it does not hold for {packets_text(flow.part)}{why}"


def _key(test: LanTest) -> tuple[bool, str, str, str]:
    return test.from_left, test.who, test.to, test.service


def _walk_says(flow: Flow | None) -> str:
    if flow is None or flow.trip is None:
        return ""
    leg = flow.broken
    return "the tables let it pass" if leg is None else f"by the tables it ends: {leg.says or leg.fate.value}"


def _source(who: str, end: End) -> str:
    """A host without its site's name; the gateway itself by that word."""
    if who == end.site:
        return "the gateway"
    return who.removeprefix(f"{end.site}/")


def host_name(address: str, end: End) -> str:
    """A host behind an end by its name, where its own tables tell the address; its gateway by that word."""
    try:
        number = address_number(address)
    except ValueError:
        return address
    for name, tables in end.hosts.items():
        if any(own == number for rows in tables.addresses.values() for own, _ in rows):
            return name
    return "the gateway" if end.tables is not None and end.tables.is_own(number) else address_text(number)


LEADS_S, LAGS_S = 10.0, 1.0
"""Seconds before and after the first lost probe within which a change fits a break."""
FEW_LOST = 2
"""Probes in a row from which on it is a break and no stray loss."""


def _breaks(picture: Picture, series: PingSeries) -> Iterator[Break]:
    at = 0
    for answered, group in groupby(series.answered):
        count = len(list(group))
        first, after = at, at + count
        at = after
        since = series.times[first]
        if answered or count < FEW_LOST or since is None:
            continue
        until = series.times[after] if after < len(series.times) else None
        near = [c for c in picture.changes if c.at is not None and not c.pending and -LAGS_S <= since - c.at <= LEADS_S]
        change = min(near, key=lambda c: abs(since - (c.at or 0.0)), default=None)
        yield Break(
            since, until, count, change, since - change.at if change is not None and change.at is not None else None
        )


_STEPS = {Near.OWN_GATEWAY: "own gateway", Near.NEXT_HOP: "next hop", Near.PEER_ADDRESS: "peer's address"}


def _ladder(picture: Picture, end: End) -> tuple[Rung, ...]:
    """What an end's packets have to pass, one after the other, with the latest attempt of each."""
    other = picture.other(end)
    near = {c.step: c.attempt for c in checks_of(picture) if c.end is end}
    rungs = [Rung(name, fares(near[step]) if step in near else "", near.get(step)) for step, name in _STEPS.items()]
    mine = [a for a in attempts_of(picture) if sender(picture, a) is end and not a.before and a.expected]
    gateway = [a for a in mine if host_name(a.to, other) == "the gateway"]
    hosts = [a for a in mine if a not in gateway]
    pings = [a for a in hosts if a.service in ("", "icmp")]
    services = [a for a in hosts if a not in pings]
    for name, rows in (("far gateway's LAN", gateway), ("far host", pings), ("far service", services)):
        rungs.append(Rung(name, _worst(rows), rows[-1] if rows else None))
    return tuple(rungs)


def _worst(rows: list[Attempt]) -> str:
    """Of several latest attempts: passes where all do, in part where some do."""
    latest = {a.key: fares(a) for a in rows}
    kinds = set(latest.values())
    if len(kinds) == 1:
        return kinds.pop()
    return "partly" if kinds else ""


def first_failing(rungs: tuple[Rung, ...]) -> Rung | None:
    """The nearest step that fails and that no later one proves to pass."""
    for number, rung in enumerate(rungs):
        if rung.fares == "fails" and not any(r.fares in ("passes", "partly") for r in rungs[number + 1 :]):
            return rung
    return None
