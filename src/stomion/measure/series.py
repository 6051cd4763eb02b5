"""Readings of counters in columns: a day of a thousand tunnels by the minute is millions, which are not kept one by one."""

from __future__ import annotations

from array import array
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import repeat
from operator import attrgetter, eq
from typing import cast

from stomion.model.provenance import Provenance
from stomion.model.record import CounterRecord
from stomion.vocabulary.times import rfc3339_seconds

Key = tuple[str, str, str, str, tuple[str, ...], tuple[str, ...]]
"""Site, tunnel, both SPIs, and both ends' ranges."""
_key_of = attrgetter("site", "tunnel", "spi_in", "spi_out", "local_ts", "remote_ts")
_at_of = attrgetter("at")
_errors_of = attrgetter("errors")
UNKNOWN = float("-inf")
"""The moment of a reading that tells none."""


def _counts() -> array[int]:
    return array("q")


@dataclass(slots=True)
class CounterSeries:
    """All readings of one pair of SAs at one site that one file holds and that name the same tunnel and ranges.

    Columns of equal length, in the order of the lines: `at` in seconds since 1970 UTC, packets `out` and `back`, and those thrown away as
    `replay` and for `integrity`. `first` and `last` are whole records, by their moments.
    """

    file: str
    first: CounterRecord
    last: CounterRecord
    last_line: int = 0
    lines: array[int] = field(default_factory=_counts)
    at: array[float] = field(default_factory=lambda: array("d"))
    out: array[int] = field(default_factory=_counts)
    back: array[int] = field(default_factory=_counts)
    replay: array[int] = field(default_factory=_counts)
    integrity: array[int] = field(default_factory=_counts)

    def extend(self, lines: Sequence[int], readings: Sequence[CounterRecord]) -> None:
        """More readings, each with the number of its line."""
        had = len(self.at)
        at = _moments(readings)
        latest, earliest = max(at), min(at)
        if not had or latest > moment_of(self.last):
            place = at.index(latest)
            self.last_line, self.last = lines[place], readings[place]
        if not had or earliest < moment_of(self.first):
            self.first = readings[at.index(earliest)]
        self.at.extend(at)
        self.lines.extend(lines)
        self.out.extend([reading.packets_out for reading in readings])
        self.back.extend([reading.packets_in for reading in readings])
        if self.replay or any(map(_errors_of, readings)):
            # Most readings tell of no errors: their columns begin with the first that does.
            for name, column in (("replay", self.replay), ("integrity", self.integrity)):
                column.extend([0] * (had - len(column)))
                column.extend([thrown_away(reading, name) for reading in readings])

    @property
    def site(self) -> str:
        """Where they were read."""
        return self.first.site

    @property
    def sa(self) -> str:
        """The SPIs in and out."""
        return f"{self.first.spi_in}/{self.first.spi_out}"

    def column(self, name: str) -> array[int]:
        """A column of errors at its full length."""
        found: array[int] = getattr(self, name)
        return found if found else array("q", bytes(8 * len(self.at)))

    @property
    def place_of_last(self) -> Provenance:
        """Where the last reading by its moment stands."""
        return Provenance(self.file, self.site, line=self.last_line)

    def places(self) -> tuple[Provenance, Provenance]:
        """Its first and its last line."""
        return (
            Provenance(self.file, self.site, line=self.lines[0]),
            Provenance(self.file, self.site, line=self.lines[-1]),
        )


def _moments(readings: Iterable[CounterRecord]) -> list[float]:
    at = list(map(rfc3339_seconds, map(_at_of, readings)))
    return [UNKNOWN if moment is None else moment for moment in at] if None in at else cast("list[float]", at)


def moment_of(record: CounterRecord) -> float:
    """Seconds since 1970 UTC, UNKNOWN where its time is none."""
    at = rfc3339_seconds(record.at)
    return UNKNOWN if at is None else at


def thrown_away(record: CounterRecord, kind: str) -> int:
    """How many packets an SA threw away for a reason; 0 where the record does not say, or not with a number."""
    count = record.errors.get(kind) if record.errors is not None else None
    return min(count, MOST) if isinstance(count, int) and count > 0 else 0


MOST = (1 << 63) - 1
"""No counter of packets is longer."""


HELD = 1 << 16
"""Readings of several SAs that are sorted out at once: a poller writes one of each after the other."""


@dataclass(slots=True)
class Gathering:
    """Puts one file's readings into the series they belong to, new ones into `found`; all of them are there after `done`."""

    file: str
    found: list[CounterSeries]
    known: dict[Key, CounterSeries] = field(default_factory=dict)
    _held: dict[Key, list[tuple[int, CounterRecord]]] = field(default_factory=lambda: defaultdict(list))
    _count: int = 0

    def add(self, lines: Sequence[int], readings: Sequence[CounterRecord]) -> None:
        """Readings, each with the number of its line."""
        if not readings:
            return
        first = _key_of(readings[0])
        if not self._held and all(map(eq, map(_key_of, readings), repeat(first))):
            # One SA after the other is the usual order of a large file: then nothing has to be sorted out.
            self._extend(first, lines, readings)
            return
        held = self._held
        for key, row in zip(map(_key_of, readings), zip(lines, readings, strict=True), strict=True):
            held[key].append(row)
        self._count += len(readings)
        if self._count >= HELD:
            self.done()

    def done(self) -> None:
        """Sort out what is held."""
        for key, rows in self._held.items():
            lines, readings = zip(*rows, strict=True)
            self._extend(key, lines, readings)
        self._held.clear()
        self._count = 0

    def _extend(self, key: Key, lines: Sequence[int], readings: Sequence[CounterRecord]) -> None:
        series = self.known.get(key)
        if series is None:
            series = self.known[key] = CounterSeries(self.file, readings[0], readings[0])
            self.found.append(series)
        series.extend(lines, readings)


def places_of(series: Iterable[CounterSeries]) -> tuple[Provenance, ...]:
    """The first and the last place of several series, in the order in which they were read."""
    rows = list(series)
    if not rows:
        return ()
    last = max((s for s in rows if s.file == rows[-1].file), key=lambda s: s.lines[-1])
    return (rows[0].places()[0], last.places()[1])


def rows_of(series: CounterSeries) -> Iterator[tuple[float, int, int, int, int]]:
    """(moment, out, in, replayed, changed) of every reading."""
    return zip(series.at, series.out, series.back, series.column("replay"), series.column("integrity"), strict=True)
