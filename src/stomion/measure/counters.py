"""What an SA's counters say between two moments: how far they moved, whatever was renewed or reset in between."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

WRAP = 1 << 32
"""A count of 32 bits begins at zero again after this many packets."""
NEAR_WRAP = 0.9
"""Share of a full count above which a fall is taken for a wrap and not for a restart."""


@dataclass(frozen=True, slots=True)
class CounterReading:
    """One reading of one SA pair at one end: packets since the SA was made; `at` is seconds since 1970 UTC, None where unknown."""

    at: float | None
    sa: str
    out: int
    back: int
    replay: int = 0
    integrity: int = 0


@dataclass(frozen=True, slots=True)
class Moved:
    """How far an end's counters moved between `since` and `until`: packets sealed and opened there, and those thrown away."""

    since: float | None
    until: float | None
    out: int
    back: int
    replay: int = 0
    integrity: int = 0
    last_back: float | None = None
    """The last moment at which a packet was seen to have come in."""


def moved(readings: Sequence[CounterReading], since: float | None = None, until: float | None = None) -> Moved | None:
    """Deltas over all SAs of an end: from the last reading at or before `since` to the first at or after `until`.

    None where fewer than two readings of one SA are there. A count that falls wrapped or began anew; see `rise`. An SA first
    seen within the window counts from its first reading.
    """
    by_sa: dict[str, list[CounterReading]] = {}
    for reading in readings:
        by_sa.setdefault(reading.sa, []).append(reading)
    steps: list[tuple[CounterReading, CounterReading]] = []
    for rows in by_sa.values():
        rows.sort(key=lambda r: r.at or 0.0)
        inside = _window(rows, since, until)
        steps += pairwise(inside)
    if not steps:
        return None
    steps.sort(key=lambda pair: pair[1].at or 0.0)
    last_back = next((b.at for a, b in reversed(steps) if rise(a.back, b.back)), None)
    return Moved(
        min((a.at for a, _ in steps if a.at is not None), default=None),
        max((b.at for _, b in steps if b.at is not None), default=None),
        sum(rise(a.out, b.out) for a, b in steps),
        sum(rise(a.back, b.back) for a, b in steps),
        sum(rise(a.replay, b.replay) for a, b in steps),
        sum(rise(a.integrity, b.integrity) for a, b in steps),
        last_back,
    )


def rise(before: int, after: int) -> int:
    """How far a count moved: one that fell from near 2^32 wrapped, any other one that fell began anew."""
    if after >= before:
        return after - before
    return after + WRAP - before if WRAP > before >= NEAR_WRAP * WRAP else after


def _window(rows: list[CounterReading], since: float | None, until: float | None) -> list[CounterReading]:
    """The readings that enclose a window, those just outside it included."""
    first, last = 0, len(rows) - 1
    if since is not None:
        before = [i for i, r in enumerate(rows) if r.at is not None and r.at <= since]
        first = before[-1] if before else 0
    if until is not None:
        after = [i for i, r in enumerate(rows) if r.at is not None and r.at >= until]
        last = after[0] if after else last
    return rows[first : last + 1]
