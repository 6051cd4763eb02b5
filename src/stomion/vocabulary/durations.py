"""Lengths of time and of data as people write them: `8h`, `1 day`, `28,800 s`, `0x7080`, `1.5 hours`, `50 MB`."""

from __future__ import annotations

import re

_UNITS = {
    "ms": 0.001, "millisecond": 0.001, "s": 1, "sec": 1, "second": 1, "m": 60, "min": 60, "minute": 60, "h": 3600, "hr": 3600, "hour": 3600,
    "d": 86_400, "day": 86_400, "w": 604_800, "wk": 604_800, "week": 604_800,
}  # fmt: skip
"""Seconds of each."""
_PART = re.compile(
    r"(?P<number>0x[0-9a-f]{1,8}|\d{1,3}(?:[, ]\d{3})+(?![\d.])|\d{1,12}(?:\.\d{1,6})?)[ -]?(?P<unit>[a-z]{1,12})?",
    re.I,
)
_CLOCK = re.compile(r"(?:(?P<d>\d{1,4})d\s?)?(?P<h>\d{1,4}):(?P<m>[0-5]\d)(?::(?P<s>[0-5]\d))?")
LONGEST_S = 10 * 365 * 86_400
"""Beyond ten years a number is no length of time."""


def seconds_of(text: str) -> int | None:
    """Whole seconds of a length of time; a bare number is seconds. None where the text is none, or no sensible one.

    Parts add up (`1h 30m`), clocks are hours first (`08:00:00`), hexadecimal numbers are taken as such (`0x7080`).
    """
    body = text.strip().lower().rstrip(".")
    clock = _CLOCK.fullmatch(body)
    if clock:
        days, hours, minutes, seconds = (int(clock[k] or 0) for k in "dhms")
        return ((days * 24 + hours) * 60 + minutes) * 60 + seconds
    total, at, bare = 0.0, 0, 0
    for part in _PART.finditer(body):
        if body[at : part.start()].strip(" ,and"):
            return None
        unit = part["unit"] or ""
        factor = _UNITS.get(unit, _UNITS.get(unit.rstrip("s"))) if unit else 1
        if factor is None:
            return None
        bare += not unit
        number = part["number"].replace(",", "").replace(" ", "")
        total += (int(number, 16) if number[:2] == "0x" else float(number)) * factor
        at = part.end()
    if not at or body[at:].strip() or bare > 1 or (bare and total != float(int(total))) or total > LONGEST_S:
        return None
    return round(total)


def span_text(seconds: float) -> str:
    """A length of time with its two greatest units: `41 min 7 s`, `3 h`, `2 d 4 h`, `0.4 s`."""
    if seconds < 10 and seconds != int(seconds):
        return f"{seconds:.1f} s"
    left = round(seconds)
    parts: list[str] = []
    for unit, size in (("d", 86_400), ("h", 3600), ("min", 60), ("s", 1)):
        count, left = divmod(left, size)
        if count or (unit == "s" and not parts):
            parts.append(f"{count} {unit}")
    return " ".join(parts[:2])
