"""Addresses and address ranges in a line: which are endpoints of IKE, and which are the traffic to be protected."""

from __future__ import annotations

import ipaddress
import re
from dataclasses import dataclass
from functools import lru_cache

_V4 = r"(?:\d{1,3}\.){3}\d{1,3}"
_H = r"[0-9a-fA-F]{1,4}"
_BEGINS = r"(?<![\w.])(?=\d)(?<!::)" + "".join(rf"(?<!:{'[0-9a-fA-F]' * n}:)" for n in range(1, 5))
"""Where an IPv4 address may begin: after a colon too (`peer:192.0.2.1`), where that is not an IPv6 address's."""
_V6 = rf"(?>(?:{_H}:){{2,7}}(?:{_H}|:(?:{_H}(?::{_H}){{0,5}})?)?|{_H}(?::{_H}){{0,6}}::(?:{_H}(?::{_H}){{0,6}})?)"
_ONLY_V4 = re.compile(rf"{_BEGINS}(?P<v4>{_V4})(?![\w.]*\.\d)(?!\d)(?P<v6>)")
ADDRESS = re.compile(rf"{_BEGINS}(?P<v4>{_V4})(?![\w.]*\.\d)(?!\d)|(?<![\w.:])(?P<v6>{_V6})")
_COLONS = re.compile(r"[0-9a-fA-F]:[0-9a-fA-F]{0,4}:")
"""What every IPv6 address has: a line without it is searched for IPv4 alone, which is far quicker."""
_PREFIX = re.compile(rf"((?:{_BEGINS}{_V4}|(?<![\w.:]){_V6})/\d{{1,3}})(?!\d)")
_MASK = re.compile(
    rf"{_BEGINS}({_V4})(?:/|:|[ ,]+(?:mask|netmask|255)\b[ =:]*)(255\.(?:\d{{1,3}}\.){{2}}\d{{1,3}}|(?<=255)(?:\.\d{{1,3}}){{3}})"
)
_LENGTH = re.compile(
    rf"{_BEGINS}({_V4})[ ,]+(?:len(?:gth)?|bits|prefix(?:[ _-]?len(?:gth)?)?|plen|masklen|mask[ _-]?len(?:gth)?)[ =:.]{{1,4}}(\d{{1,2}})(?!\w|\.\d)",
    re.IGNORECASE,
)
_LENGTH_WORD = re.compile(r"[ ,](?:len|bits|prefix|plen|mask)", re.IGNORECASE)
_WILDCARD = re.compile(
    rf"{_BEGINS}({_V4})[ /,]+(?:wildcard[ =:]+)?(0\.(?:\d{{1,3}}\.){{2}}\d{{1,3}})(?!\w|\.\d)", re.IGNORECASE
)
_RANGE = re.compile(rf"{_BEGINS}({_V4})\s*(?:-|–|—|\.\.|to|through)\s*({_V4})(?![\[:\w])", re.IGNORECASE)
_COUNT = re.compile(
    rf"{_BEGINS}({_V4})(?:\s?\+\s?|\s?[x*]\s?|[ ,(]{{1,2}}(?:count|size|num(?:ber)?|hosts|addresses)[ =:]{{1,2}}|\s?\(|, ?| with )(\d{{1,8}})"
    r"(?!\w|[.:/]\d)(?P<of>\s?(?:addresses|addrs?|hosts|ips)\b)?",
    re.IGNORECASE,
)
_COUNT_SIGN = re.compile(r"\d\s?[+x*(]\s?\d|count|size|num|hosts|addr|ips\b", re.IGNORECASE)
_ARROW = r"(?:\.\.\.|->|→|<->|to)"


def _pair_of(address: str) -> re.Pattern[str]:
    end = rf"({address})\s{{0,8}}\[[^\]]{{0,128}}\]"
    return re.compile(rf"(?<![\d.]){end}\s{{0,8}}{_ARROW}\s{{0,8}}{end}|(?<![\d.])({address})\.\.\.({address})")


_PAIR, _PAIR_V4 = _pair_of(f"(?:{_V4}|(?<![0-9a-fA-F:]){_V6})"), _pair_of(_V4)
_PORT = re.compile(r"\s{0,8}(?:\[|:| port[ =]| udp/)(500|4500|\d{4,5})\b")


MAX_PREFIXES = 8
"""Prefixes that a range in a line is written as; one that falls into more stays a range."""


@dataclass(frozen=True, slots=True)
class Named:
    """`pair` is (near or first, far or second) where the line sets two endpoints against each other, as written."""

    endpoints: tuple[tuple[str, int | None], ...]
    ranges: tuple[str, ...]
    pair: tuple[str, str] | None


def read_addresses(line: str) -> Named:
    """Split a line's addresses into endpoints and protected ranges (as prefixes where they are some)."""
    v6 = _COLONS.search(line) is not None
    if not v6 and line.count(".") < 3:
        return Named((), (), None)
    ranges, taken = _ranges_in(line)
    endpoints = []
    for m in (ADDRESS if v6 else _ONLY_V4).finditer(line):
        address = _valid(m["v4"] or m["v6"])
        if address and not _inside(m.start(), taken):
            port = _PORT.match(line, m.end())
            endpoints.append((address, int(port[1]) if port else None))
    pair = _pair_in(line, v6) if v6 or line.count(".") >= 6 else None
    return Named(tuple(dict.fromkeys(endpoints)), tuple(text for _, text in sorted(ranges)), pair)


def places_of_ranges(line: str) -> list[tuple[int, int, str]]:
    """(where it begins, where it ends, itself) of every range that a line names as one prefix, in their order."""
    ranges, taken = _ranges_in(line)
    ends = dict(taken)
    return sorted((at, ends[at], text) for at, text in ranges if at in ends)


def _pair_in(line: str, v6: bool) -> tuple[str, str] | None:
    found = (_PAIR if v6 else _PAIR_V4).search(line) if "[" in line or "..." in line else None
    if found is None:
        return None
    first, second = _valid(found[1] or found[3]), _valid(found[2] or found[4])
    return (first, second) if first and second else None


def _ranges_in(line: str) -> tuple[list[tuple[int, str]], list[tuple[int, int]]]:
    """(where each stands and its prefix, the stretches of the line that these take)."""
    ranges: list[tuple[int, str]] = []
    taken: list[tuple[int, int]] = []
    for m in _MASK.finditer(line) if "255." in line else ():
        mask = m[2] if m[2].startswith("255") else "255" + m[2]
        _add_prefix(f"{m[1]}/{mask}", m, ranges, taken)
    for m in _PREFIX.finditer(line) if "/" in line else ():
        if not _inside(m.start(), taken):
            _add_prefix(m[1], m, ranges, taken)
    for m in _LENGTH.finditer(line) if _LENGTH_WORD.search(line) else ():
        _add_prefix(f"{m[1]}/{m[2]}", m, ranges, taken)
    for m in _WILDCARD.finditer(line) if " 0." in line or "/0." in line else ():
        _add_prefix(f"{m[1]}/{m[2]}", m, ranges, taken)
    for m in _COUNT.finditer(line) if _COUNT_SIGN.search(line) else ():
        prefix = None if _inside(m.start(), taken) else _prefix_of(m)
        if prefix is not None:
            _add_prefix(prefix, m, ranges, taken)
    for m in _RANGE.finditer(line) if line.count(".") >= 6 else ():
        if _inside(m.start(), taken) or _from_to(line, m):
            continue
        prefixes = range_to_prefixes(m[1], m[2])
        if prefixes:
            ranges.extend((m.start(), p) for p in prefixes)
            taken.append(m.span())
    return ranges, taken


def _prefix_of(m: re.Match[str]) -> str | None:
    """A network that is written as its first address and how many there are; None where that is no network, or may be another number."""
    count, told = int(m[2]), m["of"] is not None or m[0][len(m[1]) :].strip(" 0123456789") not in ("", ",", "(", "with")
    size = count.bit_length() - 1
    if not told or count != 1 << size or not 1 <= size <= MOST_BITS:
        return None
    try:
        begins = int(ipaddress.IPv4Address(m[1]))
    except ValueError:
        return None
    return None if begins % count else f"{m[1]}/{32 - size}"


MOST_BITS = 24
"""Bits of the addresses of a network, at most."""


def _add_prefix(text: str, m: re.Match[str], ranges: list[tuple[int, str]], taken: list[tuple[int, int]]) -> None:
    try:
        ranges.append((m.start(), str(ipaddress.ip_network(text, strict=False))))
    except ValueError:
        return
    taken.append(m.span())


def _inside(at: int, spans: list[tuple[int, int]]) -> bool:
    return any(start <= at < end for start, end in spans)


def names_a_range(line: str) -> bool:
    """Does a line join two IPv4 addresses as the ends of a range?"""
    return any(not _from_to(line, m) for m in _RANGE.finditer(line))


def _from_to(line: str, m: re.Match[str]) -> bool:
    """`from A to B` names a sender and a receiver, not a range."""
    at = m.start()
    return m[0][len(m[1]) : -len(m[2])].strip().lower() == "to" and line[max(0, at - 6) : at].lower().rstrip().endswith(
        "from"
    )


@lru_cache(4_096)
def _valid(text: str | None) -> str | None:
    try:
        address = ipaddress.ip_address(text or "")
    except ValueError:
        return None
    return None if address.is_unspecified or address.is_loopback else str(address)


def range_to_prefixes(low: str, high: str) -> tuple[str, ...]:
    """The fewest prefixes that make up a range, the range itself where they are many; empty where it is none."""
    try:
        first, last = ipaddress.ip_address(low), ipaddress.ip_address(high)
        if first.version != last.version or int(first) > int(last) or int(first) >> 24 != int(last) >> 24:
            return ()
        found = tuple(str(n) for n in ipaddress.summarize_address_range(first, last))
        return found if len(found) <= MAX_PREFIXES else (f"{first}-{last}",)
    except (ValueError, TypeError):
        return ()
