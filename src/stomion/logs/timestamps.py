"""Time stamps in the shapes that logs use. A guessed year, zone or day is part of the result."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta, timezone, tzinfo
from functools import lru_cache

import msgspec

MONTHS = {
    m: i for i, m in enumerate(["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"], 1)
}
_CLOCK = r"(?P<h>\d{1,2})[:h](?P<mi>\d{2})[:m](?P<s>\d{2})(?:[.,](?P<f>\d{1,9}))?"
_AFTER_DATE = r"(?![1-9]\d?\.[1-9]\d\.[1-9]\d\.\d{1,3}(?!\d))(?P<h>\d{1,2})[:h.](?P<mi>\d{2})[:m.](?P<s>\d{2})(?:[.,](?P<f>\d{1,9}))?"
"""Points between hours and minutes tell a time where a date stands before it; elsewhere they are an address's."""
ABBREVIATED = {
    "WET": 0, "WEST": 60, "CET": 60, "CEST": 120, "EET": 120, "EEST": 180, "MSK": 180, "SAST": 120, "JST": 540, "KST": 540, "AWST": 480,
    "ACST": 570, "AEST": 600, "AEDT": 660, "NZST": 720, "NZDT": 780, "EST": -300, "EDT": -240, "CDT": -300, "MDT": -360, "PST": -480,
    "PDT": -420,
}  # fmt: skip
"""Abbreviations of zones that have one meaning, in minutes east of UTC. Those with several (BST, CST, IST, MST, AST) stay a guess."""
_NAMES = rf"(?-i:(?:{'|'.join(ABBREVIATED)})\b|[A-Z][a-z]{{2,9}}/[A-Z][A-Za-z_]{{2,20}}(?:/[A-Z][A-Za-z_]{{2,20}})?)"
_ZONE = rf"(?:\s*(?P<z>Z|UTC|GMT|[+-]\d{{2}}:?\d{{2}}|(?<=\d)[+-]\d{{2}}(?![\d:.])|{_NAMES}))?"
_MON = r"(?P<mon>jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]{0,12}\.?"
_DAY = r"(?P<d>\d{1,2})(?:st|nd|rd|th)?"

_SHAPES = [
    rf"(?P<y>\d{{4}})[-/.](?P<mo>\d{{1,2}})[-/.]{_DAY}[T _,-]+{_AFTER_DATE}\s?(?P<ap>[AP]M)?{_ZONE}",
    rf"date=\"?(?P<y>\d{{4}})-(?P<mo>\d{{2}})-{_DAY}\"?[ ,;|]+time=\"?{_CLOCK}{_ZONE}",
    rf"(?<![\w.:])(?P<y>[2-3]\d)(?P<mo>0[1-9]|1[0-2])(?P<d>0[1-9]|[12]\d|3[01])[T ._-](?P<h>[01]\d|2[0-3]):?(?P<mi>[0-5]\d):?(?P<s>[0-5]\d)(?:[.,](?P<f>\d{{1,9}}))?(?![\w:]){_ZONE}",
    r"^\W{0,3}(?P<y>[2-3]\d)(?P<mo>0[1-9]|1[0-2])(?P<d>0[1-9]|[12]\d|3[01])(?P<h>[01]\d|2[0-3])(?P<mi>[0-5]\d)(?P<s>[0-5]\d)"
    r"(?P<f>\d{3}(?:\d{3})?)?(?=[\s,;:|\])])",
    rf"(?P<y>(?:19|20)\d{{2}})(?P<mo>\d{{2}})(?P<d>\d{{2}})[T _-]?(?P<h>\d{{2}}):?(?P<mi>\d{{2}}):?(?P<s>\d{{2}})"
    rf"(?:(?:[.,]|(?<=\d{{14}})(?=\d{{3}}(?!\d)))(?P<f>\d+))?{_ZONE}",
    rf"{_DAY}[ /.-]{_MON}[ /.,-]+(?P<y>\d{{4}}|\d{{2}}(?=[ ,T]))[ ,:T]+(?:at )?{_AFTER_DATE}\s?(?P<ap>[AP]M)?{_ZONE}",
    rf"(?<!\w)(?P<d>\d{{2}})(?P<mon>jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)(?P<y>\d{{2}}(?:\d{{2}})?)[ T:,-]+(?P<h>\d{{1,2}}):?(?P<mi>\d{{2}}):?(?P<s>\d{{2}})(?:[.,](?P<f>\d{{1,9}}))?{_ZONE}",
    r"(?<!\w)(?P<d>\d{2})(?P<h>\d{2})(?P<mi>\d{2})(?P<z>Z) ?(?P<mon>jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec) ?(?P<y>\d{2}(?:\d{2})?)\b",
    rf"(?<![\d/.-])(?P<a>\d{{2}})(?P<sep>[-/.])(?P<b>\d{{2}})(?P=sep)(?P<c>\d{{2}})[ T,_-]+{_AFTER_DATE}\s?(?P<ap>[AP]M)?{_ZONE}",
    rf"(?<![\d/])(?P<y>\d{{4}})[/.-](?P<yd>\d{{3}})[ T:,-]+{_CLOCK}{_ZONE}",
    rf"{_MON} +{_DAY},? (?P<y>\d{{4}}),? {_CLOCK}\s?(?P<ap>[AP]M)?{_ZONE}",
    rf"{_MON} *{_DAY},? +{_CLOCK}(?: (?P<z>UTC|GMT|Z|{_NAMES}))?(?: (?P<y>\d{{4}})\b)?",
    rf"{_DAY}[./-](?P<mo>\d{{1,2}})[./-](?P<y>\d{{4}})[ ,T]+{_AFTER_DATE}\s?(?P<ap>[AP]M)?{_ZONE}",
    rf"{_CLOCK}(?:\s?(?P<ap>[AP]M))?{_ZONE},? +(?:on )?{_DAY}[ ./-](?:{_MON}|(?P<mo>\d{{1,2}}))[ ./-](?P<y>\d{{4}})",
    r"(?<![\w.])(?<!\d:)(?P<epoch>1[4-9]\d{8}|20\d{8})(?:[.,](?P<f>\d{1,9})|(?P<ms>\d{3})|(?P<us>\d{6}))?(?![\w.:])",
    rf"(?<![\d:.]){_DAY}[ /-]{_MON},? {{1,3}}{_CLOCK}{_ZONE}",
    rf"^\W{{0,3}}(?:up(?:time)?[ =:]{{1,3}})?(?P<ud>\d{{1,5}})(?:d|\.| days?),? ?{_CLOCK}",
    rf"(?<![\d/.-])(?P<mo>0[1-9]|1[0-2])-(?P<d>0[1-9]|[12]\d|3[01])[ T]{_CLOCK}{_ZONE}",
    rf"(?<![\d:.]){_CLOCK}{_ZONE}",
    r"^(?P<h>[01]\d|2[0-3])\.(?P<mi>[0-5]\d)\.(?P<s>[0-5]\d)(?:[.,](?P<f>\d{2,9}))?(?=[\s|;])",
    r"^\s*[\[(+]\s*(?P<up>\d{1,9}\.\d{1,9})\s*s?[\])]?",
    r"^\s{0,8}(?:[TtSs]|up|at)?[+=@]?(?P<up>\d{1,9}\.\d{2,9})(?=s?[\s:|,;\]])",
    r"\b(?:uptime|up|t)[=:]\s*\"?(?P<up>\d{1,9}(?:\.\d{1,9})?)",
]
SHAPES = tuple(re.compile(shape, re.IGNORECASE) for shape in _SHAPES)
_IN_TURN = tuple((first, *(n for n in range(len(SHAPES)) if n != first)) for first in range(len(SHAPES)))
"""The order in which shapes are tried: the one of the line before, then all others."""
_WITHIN = 120
"""A stamp stands near the beginning of a line, after at most a priority, a host and a tag."""


_LEADING = 24
"""A time that begins after so many characters is not what a line begins with."""


class Stamp(msgspec.Struct, frozen=True):
    """`at` is seconds since 1970 UTC; `assumed` names what the line did not say: `year`, `zone`, `day`, `epoch`."""

    at: float
    assumed: tuple[str, ...]
    shape: int
    span: tuple[int, int] = (0, 0)
    """Where it stands in the line."""
    fraction: tuple[int, int] = (0, 0)
    """Where the digits after its seconds stand; empty where it has none."""

    def after(self, line: str) -> str:
        """What a line says after its leading time; all of it where much stands before the time."""
        begin, end = self.span
        return line[end:] if begin < _LEADING else line


def find_stamp(line: str, *, year: int, day: tuple[int, int, int] | None = None, first: int = 0) -> Stamp | None:
    """The line's time, or None. `year` and `day` fill in what the shape lacks; `first` is the shape to try first."""
    head = line[:_WITHIN]
    partial: Stamp | None = None
    for index in _IN_TURN[first]:
        match = SHAPES[index].search(head)
        stamp = _to_stamp(match, year, day, index) if match else None
        if stamp and not {"day", "epoch"}.intersection(stamp.assumed):
            return stamp
        # A line may say more than the ones before it: the time of day alone is taken where nothing whole is found.
        partial = partial or stamp
    return partial or (_in_last_column(line, year) if len(line) > _WITHIN else None)


_DATES = tuple(
    re.compile(shape, re.IGNORECASE)
    for shape in (
        rf"(?<![\d.])(?P<y>\d{{4}})[-/.](?P<mo>\d{{1,2}})[-/.]{_DAY}(?![\d.])",
        rf"(?<!\w){_DAY}[ ./-]{_MON}[ ./,-]+(?P<y>\d{{4}})(?!\w)",
        rf"(?<!\w){_MON} {{1,2}}{_DAY},? (?P<y>\d{{4}})(?!\w)",
        rf"(?<![\d.]){_DAY}[./-](?P<mo>\d{{1,2}})[./-](?P<y>\d{{4}})(?![\d.])",
    )
)


def day_in(line: str) -> tuple[int, int, int] | None:
    """Year, month and day that a line names without a time of day: a headline of those below it."""
    for shape in _DATES:
        found = shape.search(line[:_WITHIN])
        whole = _whole(found.groupdict() | {"h": "0", "mi": "0"}, 0, None) if found is not None else None
        if whole is not None:
            moment = datetime.fromtimestamp(whole[0], UTC)
            return moment.year, moment.month, moment.day
    return None


_LAST_COLUMN = re.compile(r"[,;|\t]\s?\"?([^,;|\t\"]{8,40})\"?\s{0,2}$")


def _in_last_column(line: str, year: int) -> Stamp | None:
    """The time of a table's row whose last column it is."""
    cell = _LAST_COLUMN.search(line, max(0, len(line) - _WITHIN))
    stamp = find_stamp(cell[1], year=year) if cell is not None else None
    if cell is None or stamp is None or {"day", "epoch"}.intersection(stamp.assumed):
        return None
    begin, end = (cell.start(1) + place for place in stamp.span)
    return msgspec.structs.replace(stamp, span=(begin, end))


def counted_stamp(line: str, *, year: int) -> Stamp | None:
    """The time that a line begins with where it is counted from the writer's start, whatever other time the line names."""
    for index, shape in enumerate(SHAPES):
        match = shape.search(line[:_LEADING]) if {"up", "ud"} & shape.groupindex.keys() else None
        if match is not None:
            return _to_stamp(match, year, None, index)
    return None


_FRACTIONS = tuple("f" in shape.groupindex for shape in SHAPES)
_SECONDS_KEPT = 4_096
_Day = tuple[int, int, int]
_Whole = tuple[float, tuple[str, ...]]
_WHOLE: dict[tuple[int, str, int, _Day | None], _Whole | None] = {}
"""Seconds that were read already: many lines of a log are of one, and differ in its fraction."""


def _to_stamp(match: re.Match[str], year: int, day: _Day | None, index: int) -> Stamp | None:
    text, span, fraction = match[0], match.span(), 0.0
    begin = end = 0
    if _FRACTIONS[index] and match["f"]:
        begin, end = match.span("f")
        fraction = float(f"0.{match['f']}")
        # Digits right behind those of the seconds have no sign before them.
        sign = 0 if match.string[begin - 1].isdigit() else 1
        text = text[: begin - sign - span[0]] + text[end - span[0] :]
    key = (index, text, year, day)
    if key not in _WHOLE:
        if len(_WHOLE) >= _SECONDS_KEPT:
            _WHOLE.clear()
        _WHOLE[key] = _whole(match.groupdict(), year, day)
    whole = _WHOLE[key]
    return None if whole is None else Stamp(whole[0] + fraction, whole[1], index, span, (begin, end))


def _whole(g: dict[str, str | None], year: int, day: _Day | None) -> _Whole | None:
    """A time without the fraction that is written after its seconds, and what of it was assumed."""
    if g.get("epoch"):
        return int(g["epoch"] or 0) + (int(g["ms"] or 0) / 1e3 if g.get("ms") else int(g["us"] or 0) / 1e6), ()
    if g.get("up"):
        return float(g["up"] or 0), ("epoch",)
    if g.get("ud"):
        hours = 24 * int(g["ud"] or 0) + int(g["h"] or 0)
        return 3_600 * hours + 60 * int(g["mi"] or 0) + int(g.get("s") or 0), ("epoch",)
    if g.get("a"):
        g |= _year_last_or_first(g["a"] or "", g["b"] or "", g["c"] or "", year)
    assumed = []
    if g.get("yd"):
        return _day_of_year(g)
    month = MONTHS[(g.get("mon") or "jan")[:3].lower()] if g.get("mon") else int(g.get("mo") or 0)
    if not month:
        assumed.append("day")
        year, month, date = day or (year, 1, 1)
    else:
        date = int(g["d"] or 1)
        if month > 12 >= date:
            month, date = date, month
        if g.get("y"):
            year = int(g["y"] or year) + (2000 if len(g["y"] or "") == len("26") else 0)
        else:
            assumed.append("year")
    hour = int(g["h"] or 0)
    if g.get("ap"):
        hour = hour % 12 + (12 if str(g["ap"]).upper() == "PM" else 0)
    zone, known = _zone(g.get("z"))
    if not known:
        assumed.append("zone")
    at = _seconds(year, month, date, hour, int(g["mi"] or 0), min(int(g.get("s") or 0), 59), zone)
    return None if at is None else (at, tuple(assumed))


def _year_last_or_first(a: str, b: str, c: str, year: int) -> dict[str, str | None]:
    """`17/10/26` or `26-10-17`: the first number is the year where it is near that of the other evidence and the last one is not."""
    near = [abs(int(number) - year % 100) <= 1 for number in (a, c)]
    return {"y": a, "mo": b, "d": c} if near == [True, False] else {"y": c, "mo": b, "d": a}


@lru_cache(4_096)
def _seconds(year: int, month: int, date: int, hour: int, minute: int, second: int, zone: tzinfo) -> float | None:
    """Since 1970 UTC; None where there is no such day or hour."""
    try:
        return datetime(year, month, date, hour, minute, second, tzinfo=zone).timestamp()
    except (ValueError, OverflowError):
        return None


def _day_of_year(g: dict[str, str | None]) -> _Whole | None:
    """`2026/264`: the 264th day of a year."""
    zone, known = _zone(g.get("z"))
    try:
        first = datetime(
            int(g["y"] or 0), 1, 1, int(g["h"] or 0), int(g["mi"] or 0), min(int(g.get("s") or 0), 59), tzinfo=zone
        )
        moment = first + timedelta(days=int(g["yd"] or 0) - 1)
    except (ValueError, OverflowError):
        return None
    if moment.year != first.year:
        return None
    return moment.timestamp(), () if known else ("zone",)


def _zone(text: str | None) -> tuple[tzinfo, bool]:
    """(the zone, is it known): an offset, an abbreviation of one meaning, or a name of the IANA time zone database."""
    if not text:
        return UTC, False
    if text.upper() in ("Z", "UTC", "GMT"):
        return UTC, True
    if text in ABBREVIATED:
        return timezone(timedelta(minutes=ABBREVIATED[text])), True
    if "/" in text:
        return _named_zone(text)
    digits = text[1:].replace(":", "")
    offset = timedelta(hours=int(digits[:2]), minutes=int(digits[2:4] or 0))
    if offset >= timedelta(hours=24):
        return UTC, False
    return timezone(offset if text[0] == "+" else -offset), True


@lru_cache(64)
def _named_zone(name: str) -> tuple[tzinfo, bool]:
    """`Europe/Oslo` as this machine's time zone database has it; one that it lacks stays a guess."""
    from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

    try:
        return ZoneInfo(name), True
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return UTC, False
