"""The times of a log's lines, one after the other: the day of one line stands in for those that write none."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache

from stomion.logs.timestamps import find_stamp

_STAMP_MISSES = 40
"""After this many lines in a row without a time the search for one is given up for all but every 16th line."""


@dataclass(slots=True)
class Clock:
    """What the lines so far tell of the times of those that follow; `year` stands in where none is written."""

    year: int
    shape: int = 0
    day: tuple[int, int, int] | None = None
    misses: int = 0

    def take(self, line: str) -> tuple[str, float | None, tuple[str, ...]]:
        """The line without its leading time stamp, the time (seconds since 1970 UTC), and what of it was assumed."""
        self.misses += 1
        if self.misses > _STAMP_MISSES and self.misses % 16:
            return line, None, ()
        stamp = find_stamp(line, year=self.year, day=self.day, first=self.shape)
        if stamp is None:
            return line, None, ()
        self.shape, self.misses = stamp.shape, 0
        if "day" not in stamp.assumed and "epoch" not in stamp.assumed:
            day = day_of(stamp.at // 86_400)
            if day is None:
                # Outside the calendar, as a year 1 with a zone is.
                return line, None, ()
            self.day = day
        return stamp.after(line), stamp.at, stamp.assumed


@lru_cache(64)
def day_of(days: float) -> tuple[int, int, int] | None:
    """Year, month and day, so many days after 1970 began; None outside the calendar."""
    try:
        moment = datetime.fromtimestamp(days * 86_400, UTC)
    except (ValueError, OverflowError, OSError):
        return None
    return moment.year, moment.month, moment.day
