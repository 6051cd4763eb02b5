"""What an SA's counters say between two moments: how far they moved, whatever was renewed or reset in between."""

from __future__ import annotations

from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import accumulate, chain, pairwise, repeat

from stomion.measure.columns import never_falls
from stomion.measure.series import UNKNOWN, CounterSeries, rows_of

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


Row = tuple[float, int, int, int, int]
"""(moment, out, in, replayed, changed)"""
OUT, BACK, REPLAY, INTEGRITY = range(4)


class Track:
    """The readings of one SA pair, in the order of their moments: `at`, and the four counts, of which one that is empty is all zero."""

    def __init__(self, sa: str, at: array[float], counts: Sequence[array[int]]) -> None:
        self.sa, self.at, self.counts = sa, at, counts

    @classmethod
    def of(cls, sa: str, rows: Iterable[Row]) -> Track:
        """From readings in any order, at least one."""
        at, *counts = zip(*sorted(rows, key=_moment), strict=True)
        return cls(sa, array("d", at), [array("q", column) for column in counts])

    @property
    def out(self) -> array[int]:
        """Packets sealed."""
        return self.counts[OUT]

    @property
    def back(self) -> array[int]:
        """Packets opened."""
        return self.counts[BACK]

    @cached_property
    def risen(self) -> tuple[array[int], ...]:
        """How far each count had risen in all by every reading."""
        return tuple(_risen(column) for column in self.counts)

    def rose(self, kind: int, first: int, last: int) -> int:
        """How far a count rose between two readings."""
        column = self.risen[kind]
        return column[last] - column[first] if column else 0

    def window(self, since: float | None, until: float | None) -> tuple[int, int]:
        """The first and the last of the readings that enclose a window, those just outside it included."""
        first, last = 0, len(self.at) - 1
        if since is not None:
            before = bisect_right(self.at, since) - 1
            first = before if before >= 0 and self.at[before] != UNKNOWN else 0
        if until is not None:
            after = bisect_left(self.at, until)
            last = after if after <= last else last
        return first, last

    def last_back(self, first: int, last: int) -> float | None:
        """The last moment within a window at which a packet was seen to have come in."""
        risen = self.risen[BACK]
        if last <= first or risen[last] == risen[first]:
            return None
        return self.at[bisect_left(risen, risen[last], first, last)]

    def rows(self) -> Iterator[Row]:
        """All readings."""
        return zip(self.at, *(column or repeat(0) for column in self.counts), strict=False)


def _moment(row: Row) -> float:
    return row[0]


def _risen(column: array[int]) -> array[int]:
    if never_falls(column):
        return column
    return array("q", accumulate((b - a if b >= a else rise(a, b) for a, b in pairwise(column)), initial=0))


class Readings:
    """All that was read of an end's counters, SA by SA."""

    def __init__(self, tracks: Iterable[Track] = ()) -> None:
        self.tracks = tuple(tracks)

    @classmethod
    def of(cls, rows: Iterable[CounterReading]) -> Readings:
        """From single readings."""
        by_sa: dict[str, list[Row]] = {}
        for r in rows:
            by_sa.setdefault(r.sa, []).append((UNKNOWN if r.at is None else r.at, r.out, r.back, r.replay, r.integrity))
        return cls(Track.of(sa, found) for sa, found in by_sa.items())

    @classmethod
    def of_series(cls, found: Iterable[CounterSeries]) -> Readings:
        """From what files hold; several files may tell of one SA."""
        by_sa: dict[str, list[CounterSeries]] = {}
        for series in found:
            by_sa.setdefault(series.sa, []).append(series)
        return cls(_track(sa, rows) for sa, rows in by_sa.items())

    def __bool__(self) -> bool:
        return bool(self.tracks)

    def __iter__(self) -> Iterator[CounterReading]:
        """One by one, in the order of their moments."""
        rows = [(row, track.sa) for track in self.tracks for row in track.rows()]
        rows.sort(key=lambda pair: pair[0][0])
        return (CounterReading(None if at == UNKNOWN else at, sa, *rest) for (at, *rest), sa in rows)

    @cached_property
    def times(self) -> Sequence[float]:
        """The known moments, in order."""
        known = [track.at[bisect_right(track.at, UNKNOWN) :] for track in self.tracks]
        return known[0] if len(known) == 1 else sorted(chain.from_iterable(known))

    @property
    def middle(self) -> float | None:
        """The middle of the time over which they were read."""
        return (self.times[0] + self.times[-1]) / 2 if self.times else None

    def inside(self, since: float, until: float = float("inf")) -> Readings:
        """Those from one moment to another alone."""
        cut = []
        for track in self.tracks:
            rows = [row for row in track.rows() if since <= row[0] <= until]
            if rows:
                cut.append(Track.of(track.sa, rows))
        return Readings(cut)


def _track(sa: str, found: list[CounterSeries]) -> Track:
    """One file's columns are taken as they are where they are in order."""
    one = found[0]
    if len(found) == 1 and never_falls(one.at):
        return Track(sa, one.at, (one.out, one.back, one.replay, one.integrity))
    return Track.of(sa, (row for series in found for row in rows_of(series)))


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


def moved(readings: Readings, since: float | None = None, until: float | None = None) -> Moved | None:
    """Deltas over all SAs of an end: from the last reading at or before `since` to the first at or after `until`.

    None where fewer than two readings of one SA are there. A count that falls wrapped or began anew; see `rise`. An SA first
    seen within the window counts from its first reading.
    """
    spans = [(track, *track.window(since, until)) for track in readings.tracks]
    spans = [(track, first, last) for track, first, last in spans if last > first]
    if not spans:
        return None
    out, back, replay, integrity = (
        sum(track.rose(kind, first, last) for track, first, last in spans) for kind in range(4)
    )
    begun = [at for track, first, last in spans if (at := _known(track, first, last)) is not None]
    came = [at for track, first, last in spans if (at := track.last_back(first, last)) is not None]
    ended = max(track.at[last] for track, _, last in spans)
    return Moved(
        min(begun, default=None),
        None if ended == UNKNOWN else ended,
        out,
        back,
        replay,
        integrity,
        max(came, default=None),
    )


def _known(track: Track, first: int, last: int) -> float | None:
    """The first known moment of a window."""
    return next((at for at in track.at[first:last] if at != UNKNOWN), None)


def rise(before: int, after: int) -> int:
    """How far a count moved: one that fell from near 2^32 wrapped, any other one that fell began anew."""
    if after >= before:
        return after - before
    return after + WRAP - before if WRAP > before >= NEAR_WRAP * WRAP else after
