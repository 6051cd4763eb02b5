"""Address ranges as sets: what two lists of prefixes share, and what of one the other lacks. Fewest prefixes out."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from functools import lru_cache

Span = tuple[int, int, int]
"""(IP version, first address, last address), both included."""


PRIVATE = tuple(
    str(ipaddress.ip_network(n)) for n in ((0x0A000000, 8), (0xAC100000, 12), (0xC0A80000, 16), (0xFC << 120, 7))
)
"""Addresses of private networks (RFC 1918, RFC 4193)."""


def spans(texts: Iterable[str]) -> list[Span]:
    """Sorted, merged spans of prefixes or `low-high` ranges; what is no address is left out."""
    found: list[Span] = []
    for text in texts:
        span = _span(text.strip())
        if span:
            found.append(span)
    merged: list[Span] = []
    for version, low, high in sorted(found):
        if merged and merged[-1][0] == version and low <= merged[-1][2] + 1:
            merged[-1] = (version, merged[-1][1], max(high, merged[-1][2]))
        else:
            merged.append((version, low, high))
    return merged


@lru_cache(16_384)
def _span(text: str) -> Span | None:
    try:
        if "-" in text:
            low, high = (ipaddress.ip_address(part.strip()) for part in text.split("-", 1))
            return (low.version, int(low), int(high)) if low.version == high.version and int(low) <= int(high) else None
        network = ipaddress.ip_network(text, strict=False)
    except ValueError:
        return None
    return network.version, int(network.network_address), int(network.broadcast_address)


def is_any(span: Span) -> bool:
    """True for the span of all addresses of its version."""
    version, low, high = span
    return low == 0 and high == 2 ** (32 if version == 4 else 128) - 1


def common(a: Iterable[str], b: Iterable[str]) -> list[Span]:
    """Addresses in both."""
    out = []
    for version, low, high in spans(a):
        for other, first, last in spans(b):
            if version == other and low <= last and first <= high:
                out.append((version, max(low, first), min(high, last)))
    return out


def missing(a: Iterable[str], b: Iterable[str]) -> list[Span]:
    """Addresses of `a` that `b` lacks."""
    out = spans(a)
    for version, first, last in spans(b):
        rest: list[Span] = []
        for v, low, high in out:
            if v != version or high < first or low > last:
                rest.append((v, low, high))
                continue
            if low < first:
                rest.append((v, low, first - 1))
            if high > last:
                rest.append((v, last + 1, high))
        out = rest
    return out


def same(a: Iterable[str], b: Iterable[str]) -> bool:
    """True where both hold the same addresses."""
    return spans(a) == spans(b)


def covers(a: Iterable[str], b: Iterable[str]) -> bool:
    """True where `a` holds every address of `b`."""
    return not missing(b, a)


def written(found: Iterable[Span]) -> tuple[str, ...]:
    """As the fewest prefixes."""
    out: list[str] = []
    for version, low, high in found:
        kind = ipaddress.IPv4Address if version == 4 else ipaddress.IPv6Address
        out.extend(str(n) for n in ipaddress.summarize_address_range(kind(low), kind(high)))
    return tuple(out)
