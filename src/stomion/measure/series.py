"""Readings of counters in columns: a day of a thousand tunnels by the minute is millions, which are not kept one by one."""

from __future__ import annotations

from array import array
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from operator import attrgetter

from stomion.model.provenance import Provenance
from stomion.model.record import CounterRecord
from stomion.vocabulary.times import rfc3339_seconds

Key = tuple[str, str, str, str, tuple[str, ...], tuple[str, ...]]
"""Site, tunnel, both SPIs, and both ends' ranges."""
_key_of = attrgetter("site", "tunnel", "spi_in", "spi_out", "local_ts", "remote_ts")
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

    def extend(self, lines: Sequence[int], records: Sequence[CounterRecord]) -> None:
        """More readings, each with the number of its line."""
        had = len(self.at)
        at = list(map(moment_of, records))
        latest, earliest = max(at), min(at)
        if not had or latest > moment_of(self.last):
            place = at.index(latest)
            self.last_line, self.last = lines[place], records[place]
        if not had or earliest < moment_of(self.first):
            self.first = records[at.index(earliest)]
        self.at.extend(at)
        self.lines.extend(lines)
        self.out.extend([record.packets_out for record in records])
        self.back.extend([record.packets_in for record in records])
        if self.replay or any(map(_errors_of, records)):
            # Most readings tell of no errors: their columns begin with the first that does.
            for name, column in (("replay", self.replay), ("integrity", self.integrity)):
                column.extend([0] * (had - len(column)))
                column.extend([thrown_away(record, name) for record in records])

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


@dataclass(slots=True)
class Gathering:
    """Puts one file's readings into the series they belong to, new ones into `found`."""

    file: str
    found: list[CounterSeries]
    known: dict[Key, CounterSeries] = field(default_factory=dict)

    def add(self, lines: Sequence[int], records: Sequence[CounterRecord]) -> None:
        """Readings, each with the number of its line."""
        keys = list(map(_key_of, records))
        if keys and keys.count(keys[0]) == len(keys):
            # One SA after the other is the usual order of a large file: then nothing has to be sorted out.
            self._extend(keys[0], lines, records)
            return
        parts: dict[Key, tuple[list[int], list[CounterRecord]]] = defaultdict(lambda: ([], []))
        for key, line, record in zip(keys, lines, records, strict=True):
            numbers, part = parts[key]
            numbers.append(line)
            part.append(record)
        for key, (numbers, part) in parts.items():
            self._extend(key, numbers, part)

    def _extend(self, key: Key, lines: Sequence[int], records: Sequence[CounterRecord]) -> None:
        series = self.known.get(key)
        if series is None:
            series = self.known[key] = CounterSeries(self.file, records[0], records[0])
            self.found.append(series)
        series.extend(lines, records)


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
