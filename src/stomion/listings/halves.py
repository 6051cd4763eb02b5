"""Listings that tell of each direction by itself: the two lines of one SA pair, put together."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.listings.found import Found

APART = 2
"""Seconds by which the ages of two directions may differ."""


def paired(found: Sequence[Found]) -> list[Found]:
    """Each inbound half with the nearest outbound one of the same peer and age, in the order of the first."""
    out: list[Found] = []
    waiting: list[Found] = []
    for one in found:
        other = next((w for w in waiting if w.way != one.way and _fit(w, one)), None) if one.way else None
        if other is None:
            out.append(one)
            if one.way and len(waiting) < MOST_WAITING:
                waiting.append(one)
            continue
        waiting.remove(other)
        for key, value in one.values.items():
            other.put(key, value)
        other.way = ""
    return out


MOST_WAITING = 200
"""Halves whose other half is looked for; those of one SA mostly stand beside each other."""


def _fit(one: Found, other: Found) -> bool:
    ages = (one.values.get("age_s"), other.values.get("age_s"))
    near = not all(isinstance(age, int) for age in ages) or abs(ages[0] - ages[1]) <= APART  # type: ignore[operator]
    return near and one.peers == other.peers and one.own == other.own
