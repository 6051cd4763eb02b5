"""Addresses alone, as sets: what two lists of ranges share, and what of one the other lacks. Texts in, the fewest prefixes out.

What is no range is left out: lists come from logs and sheets, whose readers have named it already.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from functools import lru_cache

from stomion.model.box import Interval
from stomion.space.axis import V4_ALL, V6_ALL, interval_of, joined, prefixes_text

PRIVATE = tuple(
    str(ipaddress.ip_network(n)) for n in ((0x0A000000, 8), (0xAC100000, 12), (0xC0A80000, 16), (0xFC << 120, 7))
)
"""Addresses of private networks (RFC 1918, RFC 4193)."""


def spans(texts: Iterable[str]) -> list[Interval]:
    """Sorted, merged intervals of the axis (see space.axis)."""
    return list(_spans(tuple(texts)))


def _spans(texts: tuple[str, ...]) -> tuple[Interval, ...]:
    return _few(texts) if len(texts) <= FEW else _merged(texts)


FEW = 16
"""Ranges of a list that is remembered: those of one tunnel are asked for again and again while it is judged."""


@lru_cache(8_192)
def _few(texts: tuple[str, ...]) -> tuple[Interval, ...]:
    return _merged(texts)


def _merged(texts: tuple[str, ...]) -> tuple[Interval, ...]:
    found: list[Interval] = []
    for text in texts:
        try:
            found.extend(interval_of(text))
        except ValueError:
            continue
    return tuple(joined(found))


def is_any(span: Interval) -> bool:
    """True for the span of all addresses of its family."""
    return span in (V4_ALL, V6_ALL)


def common(a: Iterable[str], b: Iterable[str]) -> list[Interval]:
    """Addresses in both."""
    theirs = _spans(tuple(b))
    return [
        (max(low, first), min(high, last))
        for low, high in _spans(tuple(a))
        for first, last in theirs
        if low <= last and first <= high
    ]


def missing(a: Iterable[str], b: Iterable[str]) -> list[Interval]:
    """Addresses of `a` that `b` lacks."""
    out = spans(a)
    for first, last in spans(b):
        rest: list[Interval] = []
        for low, high in out:
            if high < first or low > last:
                rest.append((low, high))
                continue
            if low < first:
                rest.append((low, first - 1))
            if high > last:
                rest.append((last + 1, high))
        out = rest
    return out


def same(a: Iterable[str], b: Iterable[str]) -> bool:
    """True where both hold the same addresses."""
    return spans(a) == spans(b)


def covers(a: Iterable[str], b: Iterable[str]) -> bool:
    """True where `a` holds every address of `b`."""
    return not missing(b, a)


def written(found: Iterable[Interval]) -> tuple[str, ...]:
    """As the fewest prefixes."""
    return tuple(text for interval in found for text in prefixes_text(interval))
