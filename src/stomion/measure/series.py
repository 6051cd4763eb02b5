"""Readings of counters in columns: a day of a thousand tunnels by the minute is millions, which are not kept one by one."""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field

from stomion.model.provenance import Provenance
from stomion.model.record import CounterRecord
from stomion.vocabulary.times import rfc3339_seconds

UNKNOWN = float("-inf")
"""The moment of a reading that tells none."""


def counts() -> array[int]:
    """An empty column of counts."""
    return array("q")


@dataclass(slots=True)
class Rows:
    """Readings as columns of equal length; those of errors are empty where none of the readings tells of any."""

    lines: array[int] = field(default_factory=counts)
    at: array[float] = field(default_factory=lambda: array("d"))
    out: array[int] = field(default_factory=counts)
    back: array[int] = field(default_factory=counts)
    replay: array[int] = field(default_factory=counts)
    integrity: array[int] = field(default_factory=counts)


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
    lines: array[int] = field(default_factory=counts)
    at: array[float] = field(default_factory=lambda: array("d"))
    out: array[int] = field(default_factory=counts)
    back: array[int] = field(default_factory=counts)
    replay: array[int] = field(default_factory=counts)
    integrity: array[int] = field(default_factory=counts)

    def extend(self, more: Rows) -> None:
        """More readings, in the order of their lines."""
        had = len(self.at)
        self.lines.extend(more.lines)
        self.at.extend(more.at)
        self.out.extend(more.out)
        self.back.extend(more.back)
        for column, found in ((self.replay, more.replay), (self.integrity, more.integrity)):
            # Most readings tell of no errors: their columns begin with the first that does.
            if column or any(found):
                column.extend([0] * (had - len(column)))
                column.extend(found or [0] * len(more.at))

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
