"""The times of a log's lines, one after the other: the day of one line stands in for those that write none."""

from __future__ import annotations

import re
from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import lru_cache
from itertools import pairwise

from msgspec.structs import replace

from stomion.logs.timestamps import Stamp, counted_stamp, day_in, find_stamp
from stomion.model.event import Event

_SECONDS_KEPT = 4_096
_BEYOND = 8
"""Characters after a time that are the same in another line of the same second, so that its time ends there too."""
_LONGEST_TAG = 24
_SINCE = re.compile(r"(\S[^+]{0,23}\s)\+(\d{1,6}(?:\.\d{1,9})?)s?(?=[\s:|])")
"""A time that is counted from that of another line which begins alike."""
_STAMP_MISSES = 40
"""After this many lines in a row without a time the search for one is given up for all but every 16th line."""


@dataclass(slots=True)
class Clock:
    """What the lines so far tell of the times of those that follow; `year` stands in where none is written."""

    year: int
    shape: int = 0
    day: tuple[int, int, int] | None = None
    misses: int = 0
    _places: tuple[int, int, int] = (0, 0, 0)
    """Where the last line's fraction begins and ends, and its time ends."""
    _known: dict[tuple[str, str], tuple[float, tuple[int, int, int], tuple[str, ...]]] = field(default_factory=dict)
    """Of what stands before a fraction, and after it: the whole second, its day, and what was assumed."""

    _begun: dict[str, tuple[float, tuple[str, ...]]] = field(default_factory=dict)
    """Of what stands before a line's time: the last such time, and what of it was assumed."""

    def take(self, line: str) -> tuple[str, float | None, tuple[str, ...]]:
        """The line without its leading time stamp, the time (seconds since 1970 UTC), and what of it was assumed."""
        known = self._again(line) if self._known else None
        if known is not None:
            return known
        self.misses += 1
        if self.misses > _STAMP_MISSES and self.misses % 16:
            return line, None, ()
        since = _SINCE.match(line) if self._begun else None
        if since is not None and since[1] in self._begun:
            at, assumed = self._begun[since[1]]
            return line, at + float(since[2]), assumed
        stamp = find_stamp(line, year=self.year, day=self.day, first=self.shape)
        if stamp is None:
            return line, None, ()
        self._begin(line, stamp)
        self.shape, self.misses = stamp.shape, 0
        if "day" not in stamp.assumed and "epoch" not in stamp.assumed:
            day = day_of(stamp.at // 86_400)
            if day is None:
                # Outside the calendar, as a year 1 with a zone is.
                return line, None, ()
            self.day = day
            self._remember(line, stamp, day)
        return stamp.after(line), stamp.at, stamp.assumed

    def _begin(self, line: str, stamp: Stamp) -> None:
        """What stands before a time may stand before times that are counted from it."""
        tag = line[: stamp.span[0]]
        if 1 < len(tag) <= _LONGEST_TAG and tag[-1].isspace():
            if len(self._begun) >= _SECONDS_KEPT:
                self._begun.clear()
            self._begun[tag] = stamp.at, stamp.assumed

    def _remember(self, line: str, stamp: Stamp, day: tuple[int, int, int]) -> None:
        begin, end = stamp.fraction
        if begin < end and stamp.span[0] == 0:
            if len(self._known) >= _SECONDS_KEPT:
                self._known.clear()
            self._places = begin, end, stamp.span[1]
            whole = stamp.at - float(f"0.{line[begin:end]}")
            self._known[line[:begin], line[end : stamp.span[1] + _BEYOND]] = round(whole), day, stamp.assumed

    def _again(self, line: str) -> tuple[str, float, tuple[str, ...]] | None:
        """What `take` gives for a line of a second that was read before, with another fraction of as many digits."""
        begin, end, stop = self._places
        known = self._known.get((line[:begin], line[end : stop + _BEYOND]))
        if known is None or not line[begin:end].isdecimal():
            return None
        whole, self.day, assumed = known
        self.misses = 0
        return line[stop:], whole + float(f"0.{line[begin:end]}"), assumed


DATED = 120
"""Lines by which it is told whether a log runs backwards."""
_STEPS = 2


def runs_backwards(lines: Iterable[str], year: int) -> bool:
    """Does the newest line of a log stand first? Told by the steps between its first lines' times."""
    clock = Clock(year)
    times = [at for line in lines if (at := clock.take(line)[1]) is not None]
    back = sum(later < earlier for earlier, later in pairwise(times))
    return back >= _STEPS and back > 4 * sum(later > earlier for earlier, later in pairwise(times))


def wall_clock(lines: Iterable[tuple[int, str]], year: int) -> float | None:
    """Seconds between 1970 UTC and the start that a log counts its time from, by the first of its lines that shows both; None where none does."""
    for _, line in lines:
        counted = counted_stamp(line, year=year)
        if counted is None:
            continue
        wall = find_stamp(line[counted.span[1] :], year=year)
        if wall is not None and not {"day", "epoch", "year"}.intersection(wall.assumed):
            return wall.at - counted.at
    return None


def on_the_wall(events: Iterable[Event], start: float) -> list[Event]:
    """Events of a log whose time is counted from its start, at their moments since 1970 UTC."""
    return [
        replace(e, at=e.at + start, assumed=tuple(a for a in e.assumed if a != "epoch"))
        if e.at is not None and "epoch" in e.assumed
        else e
        for e in events
    ]


_DAY = 86_400
_HEADLINE = 8
"""Words of a line that names a day for those below it, at most: a longer one says something of a day."""
_BACK = 6 * 3_600
"""Seconds by which the time of day falls where another day has begun; less is a disorder of lines."""


def on_their_days(events: Iterable[Event], lines: Iterable[tuple[int, str]]) -> list[Event]:
    """Events of a log that tells the time of day alone, on the days that its headlines name, or that pass as its clock begins anew. Without
    a headline the first day stays assumed."""
    days = _days(lines)
    if not days:
        return list(events)
    begins = [number for number, _, _ in days]

    def dated(event: Event) -> Event:
        place = bisect_right(begins, event.where.line or 0) - 1
        if event.at is None or "day" not in event.assumed or place < 0:
            return event
        _, day, named = days[place]
        if not named:
            return replace(event, at=event.at + day * _DAY)
        return replace(event, at=day * _DAY + event.at % _DAY, assumed=tuple(a for a in event.assumed if a != "day"))

    return [dated(event) for event in events]


def _days(lines: Iterable[tuple[int, str]]) -> list[tuple[int, float, bool]]:
    """(number of a line, the day that begins with it, has a headline named one?): in days since 1970, or since the log's first one where it
    has no name. Empty where that is all there is."""
    found: list[tuple[int, float, bool]] = []
    shape, last, named = 0, None, False
    day = 0.0
    for number, line in lines:
        stamp = find_stamp(line, year=1970, first=shape)
        if stamp is None:
            headline = day_in(line) if len(line.split()) <= _HEADLINE and not line[:1].isspace() else None
            if headline is not None:
                day, last, named = datetime(*headline, tzinfo=UTC).timestamp() // _DAY, None, True
                found.append((number, day, named))
            continue
        if "day" not in stamp.assumed:
            continue
        shape, of_day = stamp.shape, stamp.at % _DAY
        if last is not None and last - of_day > _BACK:
            day += 1
            found.append((number, day, named))
        last = of_day
    return found


@lru_cache(64)
def day_of(days: float) -> tuple[int, int, int] | None:
    """Year, month and day, so many days after 1970 began; None outside the calendar."""
    try:
        moment = datetime.fromtimestamp(days * 86_400, UTC)
    except (ValueError, OverflowError, OSError):
        return None
    return moment.year, moment.month, moment.day
