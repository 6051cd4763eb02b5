"""A file's readings of counters, sorted out into series. A poller writes one of each SA after the other, round after round, and a day of a
thousand tunnels has millions of them: they are put into columns as they come, and the columns are parted at the end."""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, fields
from itertools import repeat
from operator import attrgetter, eq
from typing import cast

from stomion.measure.columns import parted
from stomion.measure.series import UNKNOWN, CounterSeries, Rows, counts, moment_of, thrown_away
from stomion.model.record import CounterRecord
from stomion.vocabulary.times import rfc3339_seconds

Key = tuple[str, str, str, str, tuple[str, ...], tuple[str, ...]]
"""Site, tunnel, both SPIs, and both ends' ranges."""
_key_of = attrgetter("site", "tunnel", "spi_in", "spi_out", "local_ts", "remote_ts")
_at_of = attrgetter("at")
_errors_of = attrgetter("errors")
COLUMNS = tuple(column.name for column in fields(Rows))
HELD = 1 << 21
"""Readings that are parted at once, which take 80 MiB."""


@dataclass(slots=True)
class Gathering:
    """Puts one file's readings into the series they belong to, new ones into `found`; all of them are there after `done`."""

    file: str
    found: list[CounterSeries]
    _numbers: dict[Key, int] = field(default_factory=dict)
    _series: list[CounterSeries] = field(default_factory=list)
    _number: array[int] = field(default_factory=counts)
    """Of every row that is held, its series."""
    _rows: Rows = field(default_factory=Rows)
    _last: dict[int, CounterRecord] = field(default_factory=dict)
    """The last reading of every series that has rows held, while readings come in the order of their moments."""
    _latest: float = UNKNOWN
    _in_order: bool = True

    def add(self, lines: Sequence[int], readings: Sequence[CounterRecord]) -> None:
        """Readings, each with the number of its line."""
        if not readings:
            return
        numbers, at = self._numbered(lines, readings), _moments(readings)
        if self._in_order and at[0] >= self._latest and at == sorted(at):
            self._last.update(zip(numbers, readings, strict=True))
            self._latest = at[-1]
        else:
            self._compare(numbers, lines, readings)
        self._hold(numbers, at, lines, readings)
        if len(self._number) >= HELD:
            self.done()

    def _numbered(self, lines: Sequence[int], readings: Sequence[CounterRecord]) -> list[int]:
        """The number of every reading's series."""
        known, first = self._numbers, _key_of(readings[0])
        if first in known and all(map(eq, map(_key_of, readings), repeat(first))):
            # One SA after the other is the usual order of a file that was written by a site.
            return [known[first]] * len(readings)
        try:
            return [known[key] for key in map(_key_of, readings)]
        except KeyError:
            for line, reading in zip(lines, readings, strict=True):
                if known.setdefault(_key_of(reading), len(known)) == len(self._series):
                    series = CounterSeries(self.file, reading, reading, line)
                    self._series.append(series)
                    self.found.append(series)
            return [known[key] for key in map(_key_of, readings)]

    def _compare(self, numbers: Iterable[int], lines: Iterable[int], readings: Iterable[CounterRecord]) -> None:
        """Readings that are not in the order of their moments: each is compared with the first and the last one of its series."""
        if self._in_order:
            self.done()
            self._in_order = False
        for number, line, reading in zip(numbers, lines, readings, strict=True):
            series, moment = self._series[number], moment_of(reading)
            if moment >= moment_of(series.last):
                series.last, series.last_line = reading, line
            if moment < moment_of(series.first):
                series.first = reading

    def _hold(
        self, numbers: list[int], at: list[float], lines: Sequence[int], readings: Sequence[CounterRecord]
    ) -> None:
        rows, had = self._rows, len(self._number)
        self._number.extend(numbers)
        rows.lines.extend(lines)
        rows.at.extend(at)
        rows.out.extend([reading.packets_out for reading in readings])
        rows.back.extend([reading.packets_in for reading in readings])
        if rows.replay or any(map(_errors_of, readings)):
            for name, column in (("replay", rows.replay), ("integrity", rows.integrity)):
                column.extend(repeat(0, had - len(column)))
                column.extend([thrown_away(reading, name) for reading in readings])

    def done(self) -> None:
        """Part what is held."""
        for number, columns in parted(self._number, [getattr(self._rows, name) for name in COLUMNS]):
            series, rows = self._series[number], Rows(*columns)
            series.extend(rows)
            if number in self._last:
                series.last, series.last_line = self._last[number], rows.lines[-1]
        self._number, self._rows = counts(), Rows()
        self._last.clear()


def _moments(readings: Iterable[CounterRecord]) -> list[float]:
    at = list(map(rfc3339_seconds, map(_at_of, readings)))
    return [UNKNOWN if moment is None else moment for moment in at] if None in at else cast("list[float]", at)
