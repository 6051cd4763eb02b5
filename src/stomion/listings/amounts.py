"""Values of a listing as what they mean: counters, lengths and moments, SPIs of both directions, algorithms."""

from __future__ import annotations

import re
from collections.abc import Collection

from stomion.listings import keywords as k
from stomion.listings.found import Found
from stomion.vocabulary.algorithms import find_proposal
from stomion.vocabulary.durations import seconds_of
from stomion.vocabulary.times import rfc3339_seconds

_SCALE = {"kb": 1_000, "kib": 1_024, "mb": 1_000_000, "mib": 1 << 20, "gb": 10**9, "gib": 1 << 30}
_BOTH = ("in", "out")
_OUT_FIRST = re.compile(r"\bout\b.*\bin\b|\btx\b.*\brx\b|\bsent\b.*\breceived", re.IGNORECASE)
_BEHIND = re.compile(r"\s*\((in|out|inbound|outbound|incoming|outgoing)\)")
_FILLERS = re.compile(r"\b(?:ago|left|remaining|in|about|for|total)\b|[()~]", re.IGNORECASE)


def seconds_at(text: str) -> float | None:
    """Of a date and time of day, in UTC where no zone stands."""
    text = text.replace(" ", "T", 1)
    return rfc3339_seconds(text if text[-1:] == "Z" or "+" in text else f"{text}Z")


def length(value: str) -> int | None:
    """Seconds of a length of time, whatever words stand about it."""
    return seconds_of(_FILLERS.sub(" ", value).strip())


def spis(found: Found, value: str, told: list[str]) -> None:
    """Two SPIs in one cell: by the words before or behind each, else in and out as they come."""
    low = value.lower()
    for spi in told:
        begin = low.find(spi.lstrip("0"))
        behind = _BEHIND.match(low, begin + len(spi.lstrip("0")))
        way = k.direction_of([behind[1]] if behind else re.findall(r"[a-z]+", low[max(begin - 16, 0) : begin]))
        if way:
            found.put(f"spi_{way}", spi)
        else:
            found.spis.append(spi)


def counts(found: Found, bag: Collection[str], way: str, value: str) -> None:
    """Packets and bytes, of one direction by its word or of both in one cell."""
    kind = "packets" if k.PACKETS & set(bag) else "bytes" if k.OCTETS & set(bag) else ""
    units = k.COUNT.findall(value)
    if units and way:
        for number, unit in units:
            low = unit.lower()
            what = "packets" if low.startswith(("packet", "pkt")) else "bytes"
            found.put(f"{what}_{way}", round(_number(number) * _SCALE.get(low, 1)))
        return
    numbers = re.findall(r"\d[\d,']*", value)
    if kind and way and len(numbers) == 1:
        found.put(f"{kind}_{way}", _number(numbers[0]))
    elif kind and len(numbers) == len(_BOTH):
        for direction, number in zip(_BOTH[:: -1 if _OUT_FIRST.search(value) else 1], numbers, strict=True):
            found.put(f"{kind}_{direction}", _number(number))


def _number(text: str) -> int:
    return int(re.sub(r"\D", "", text)[:18] or 0)


def encapsulation(value: str) -> str:
    """`udp` or `none`; empty where it tells neither."""
    low = value.lower()
    if re.search(r"\b(?:no|not|none|off|plain|esp|disabled|native|false)\b", low) and not re.search(r"udp|4500", low):
        return "none"
    return "udp" if re.search(r"udp|4500|\byes\b|\bon\b|detected|active|true|enabled|nat-?t", low) else ""


def algorithms(found: Found, value: str) -> None:
    """Those that a value names."""
    said = find_proposal(value.replace("/", " "), "ESP")
    for kind in ("encryption", "integrity", "group") if said is not None else ():
        found.put(kind, next(iter(said.values(kind)), ""))  # type: ignore[union-attr]
