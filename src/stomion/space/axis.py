"""The axis of addresses: both families on one line of numbers, IPv4 first, and the one reading of ranges written as text.

IPv4 addresses are 0 to 2**32 - 1, IPv6 addresses follow. The families touch at the border and are never joined across it.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from functools import lru_cache
from typing import NamedTuple

from stomion.model.box import Interval

IPV6 = 6
V4_LAST = 2**32 - 1
V6_FIRST = 2**32
LAST = V6_FIRST + 2**128 - 1
V4_ALL: Interval = (0, V4_LAST)
V6_ALL: Interval = (V6_FIRST, LAST)
WHOLE = ("any", "default", "")
"""Words for all addresses of both families."""


class Prefix(NamedTuple):
    """A network: its addresses, and its length in bits of its own family (0 to 32 for IPv4, 0 to 128 for IPv6)."""

    interval: Interval
    length: int


def is_v6(number: int) -> bool:
    """Is a point of the axis an IPv6 address?"""
    return number >= V6_FIRST


def address_number(text: str) -> int:
    """An address on the axis. Raises ValueError for what is none."""
    found = ipaddress.ip_address(text)
    return int(found) + (V6_FIRST if found.version == IPV6 else 0)


def is_address(text: str) -> bool:
    """Is a text one address, of either family?"""
    try:
        ipaddress.ip_address(text)
    except ValueError:
        return False
    return True


def address_text(number: int) -> str:
    """A point of the axis as an address."""
    if not is_v6(number):
        return str(ipaddress.IPv4Address(number))
    return str(ipaddress.IPv6Address(number - V6_FIRST))


def prefix_of(text: str) -> Prefix:
    """`10.64.0.0/21` or one address; host bits do not count. Raises ValueError for what is none, words for all addresses included."""
    network = ipaddress.ip_network(text.strip(), strict=False)
    shift = V6_FIRST if network.version == IPV6 else 0
    return Prefix((int(network[0]) + shift, int(network[-1]) + shift), network.prefixlen)


def as_prefix(interval: Interval) -> Prefix | None:
    """An interval that is exactly one network of one family; None for any other."""
    low, high = interval
    size = high - low + 1
    if is_v6(low) != is_v6(high) or size.bit_count() != 1 or (low - (V6_FIRST if is_v6(low) else 0)) % size:
        return None
    return Prefix(interval, (128 if is_v6(low) else 32) - size.bit_length() + 1)


def interval_of(text: str) -> list[Interval]:
    """`any`, `default`, a prefix, an address or LOW-HIGH.

    Raises ValueError for what is none of these: a range that runs backwards or from one family into the other included.
    """
    return list(_interval_of(text.strip()))


@lru_cache(16_384)
def _interval_of(text: str) -> tuple[Interval, ...]:
    if text in WHOLE:
        return V4_ALL, V6_ALL
    if "-" in text and "/" not in text:
        low, high = (address_number(part.strip()) for part in text.split("-", 1))
        if low > high:
            raise ValueError(f"{text} runs backwards")
        if is_v6(low) != is_v6(high):
            raise ValueError(f"{text} is of two address families")
        return ((low, high),)
    return (prefix_of(text).interval,)


def joined(intervals: Iterable[Interval]) -> list[Interval]:
    """Intervals in order, those that overlap or touch as one; of any axis, though never across the border of the two families."""
    out: list[Interval] = []
    for low, high in sorted(intervals):
        if out and low <= out[-1][1] + 1 and low != V6_FIRST:
            out[-1] = (out[-1][0], max(high, out[-1][1]))
        else:
            out.append((low, high))
    return out


def prefixes_text(interval: Interval) -> tuple[str, ...]:
    """An interval of one or both families as the fewest prefixes."""
    low, high = interval
    out: list[str] = []
    if low <= V4_LAST:
        first, last = ipaddress.IPv4Address(low), ipaddress.IPv4Address(min(high, V4_LAST))
        out += map(str, ipaddress.summarize_address_range(first, last))
    if high >= V6_FIRST:
        start, stop = ipaddress.IPv6Address(max(low, V6_FIRST) - V6_FIRST), ipaddress.IPv6Address(high - V6_FIRST)
        out += map(str, ipaddress.summarize_address_range(start, stop))
    return tuple(out)


def addresses_text(interval: Interval) -> tuple[str, ...]:
    """The same for people: `any` for all of both families, or of IPv4."""
    return ("any",) if interval in ((0, LAST), V4_ALL) else prefixes_text(interval)
