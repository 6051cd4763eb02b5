"""Moments in the forms that records and screens use. Shapes of log time stamps are in logs.timestamps."""

from __future__ import annotations

from datetime import UTC, datetime
from functools import lru_cache


@lru_cache(65_536)
def rfc3339_seconds(text: str) -> float | None:
    """An RFC 3339 time as seconds since 1970 UTC, or None where it is none."""
    try:
        return datetime.fromisoformat(text).timestamp()
    except (ValueError, OverflowError):
        return None


def clock_text(at: float, *, day: bool = False) -> str:
    """`06:27:03.745` in UTC, with the date before it where asked."""
    try:
        moment = datetime.fromtimestamp(at, UTC)
    except (ValueError, OverflowError, OSError):
        return f"{at:.3f}"
    return moment.strftime("%Y-%m-%d %H:%M:%S" if day else "%H:%M:%S") + f".{moment.microsecond // 1000:03d}"


def utc_text(at: float | None) -> str | None:
    """Seconds since 1970 UTC as an RFC 3339 time; None where there is none, or one outside the calendar."""
    try:
        return None if at is None else datetime.fromtimestamp(at, UTC).isoformat(timespec="milliseconds")
    except (ValueError, OverflowError, OSError):
        return None
