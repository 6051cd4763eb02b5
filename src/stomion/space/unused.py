"""Ranges that nobody uses, to translate a LAN to: what is free of private addresses beside all that is in use."""

from __future__ import annotations

from collections.abc import Iterable

from stomion.space.axis import V6_FIRST, as_prefix, is_v6
from stomion.space.ranges import PRIVATE, spans, written


def free_range(like: str, in_use: Iterable[str]) -> str:
    """A private range (RFC 1918 3, RFC 4193 3) of the size of `like` that shares nothing with what is in use; empty where there is none, or
    where `like` is no single prefix.

    The one nearest above `like` in the same block is taken, else the last of the blocks: people number from below.
    """
    found = spans([like])
    prefix = as_prefix(found[0]) if len(found) == 1 else None
    if prefix is None or prefix.length == 0:
        return ""
    low, high = found[0]
    size = high - low + 1
    taken = spans([*in_use, like])
    blocks = [s for s in spans(PRIVATE) if is_v6(s[0]) == is_v6(low) and s[1] - s[0] + 1 >= size]
    own = [b for b in blocks if b[0] <= low <= b[1]]
    for first, last in own + [b for b in blocks if b not in own]:
        start = high + 1 if first <= low <= last else first
        for begin in (start, first):
            at = _first_free(begin, last, size, taken)
            if at is not None:
                return written([(at, at + size - 1)])[0]
    return ""


def _first_free(begin: int, last: int, size: int, taken: list[tuple[int, int]]) -> int | None:
    base = V6_FIRST if is_v6(begin) else 0
    at = base + -(-(begin - base) // size) * size
    for low, high in taken:
        if high < at:
            continue
        if low > at + size - 1:
            break
        at = base + -(-(high + 1 - base) // size) * size
    return at if at + size - 1 <= last else None
