"""Sets of packets in words: the fewest prefixes and port ranges, or a whole with its exceptions where that says it shorter."""

from __future__ import annotations

import itertools
from functools import lru_cache

from stomion.model.box import Box, Interval
from stomion.space.axis import LAST, V4_LAST, V6_FIRST, address_text, addresses_text, joined
from stomion.space.boxes import DESTINATION, EVERY, PORT, PROTOCOL, SOURCE, SOURCE_PORT, Region, region
from stomion.space.services import service_text

MOST_EXCEPTIONS = 3
MOST_PREFIXES, MOST_SERVICES = 4, 3
"""So many are listed; of more it is said how many."""
MOST_EDGES = 2
"""Addresses that a range may lack at its edges and still be said as the whole around it."""
MOST_WORK = 200_000
"""Ranges times boxes that are looked at for the shortest words."""


@lru_cache(1_024)
def packets_text(space: Region, most: int = 2) -> str:
    """`10.64.0.0/21 to 10.96.0.0/20 tcp/80; …`: the `most` widest parts, and how many more there are."""
    parts = sorted(_parts(space), key=lambda part: -_pairs(part[0]) * _pairs(part[1]))
    rows = [
        " ".join(filter(None, (f"{spans_text(sources)} to {spans_text(destinations)}", services)))
        for sources, destinations, services in parts
    ]
    more = f"; and {len(rows) - most} more" if len(rows) > most else ""
    return "; ".join(rows[:most]) + more


def _pairs(intervals: list[Interval]) -> int:
    return sum(high - low + 1 for low, high in intervals)


def _parts(space: Region) -> list[tuple[list[Interval], list[Interval], str]]:
    """(sources, destinations, services in words), so that every part is all of its sources to all of its destinations."""
    alike: dict[tuple[tuple[tuple[Interval, ...], str], ...], list[Interval]] = {}
    for source, boxes in _by_source(space.boxes):
        services: dict[Interval, list[Box]] = {}
        for box in boxes:
            services.setdefault(box[DESTINATION], []).append(box)
        reached: dict[str, list[Interval]] = {}
        for destination, some in services.items():
            reached.setdefault(services_text(some), []).append(destination)
        key = tuple((tuple(joined(found)), words) for words, found in reached.items())
        alike.setdefault(key, []).append(source)
    return [(joined(sources), list(found), words) for key, sources in alike.items() for found, words in key]


def _by_source(boxes: tuple[Box, ...]) -> list[tuple[Interval, list[Box]]]:
    """Boxes by ranges of sources that do not overlap; where those were too many, by their sources as they are."""
    cuts = sorted({b[SOURCE][0] for b in boxes} | {b[SOURCE][1] + 1 for b in boxes})
    pieces = [(low, high - 1) for low, high in itertools.pairwise(cuts)]
    if len(pieces) * len(boxes) > MOST_WORK:
        found: dict[Interval, list[Box]] = {}
        for box in sorted(boxes):
            found.setdefault(box[SOURCE], []).append(box)
        return list(found.items())
    held = [(piece, [b for b in boxes if b[SOURCE][0] <= piece[0] and piece[1] <= b[SOURCE][1]]) for piece in pieces]
    return [(piece, some) for piece, some in held if some]


def spans_text(intervals: list[Interval]) -> str:
    """`10.64.0.0/21 + 10.70.0.0/24`, or `10.64.0.0/21 except 10.64.0.1`."""
    plain = [p for i in intervals for p in addresses_text(i)]
    if not plain:
        return "nothing"
    hull = (intervals[0][0], intervals[-1][1])
    gaps = [(a[1] + 1, b[0] - 1) for a, b in itertools.pairwise(intervals)]
    whole = addresses_text(_rounded(hull, len(gaps)))
    missing = [*gaps, *_edges(hull, _rounded(hull, len(gaps)))]
    if len(plain) > MOST_EXCEPTIONS and len(whole) == 1 and len(missing) <= MOST_EXCEPTIONS:
        return f"{whole[0]} except {' + '.join(_bare(p) for gap in sorted(missing) for p in addresses_text(gap))}"
    more = f" and {len(plain) - MOST_PREFIXES} more" if len(plain) > MOST_PREFIXES else ""
    return " + ".join(map(_bare, plain[:MOST_PREFIXES])) + more


def range_text(interval: Interval) -> str:
    """One range as a label: a prefix, an address, or LOW-HIGH."""
    found = addresses_text(interval)
    if len(found) == 1:
        return _bare(found[0])
    return "-".join(address_text(edge) for edge in interval)


def _bare(prefix: str) -> str:
    """One address alone is written without its length."""
    return prefix.removesuffix("/32") if "." in prefix else prefix.removesuffix("/128")


def _rounded(hull: Interval, gaps: int) -> Interval:
    """The prefix around an interval that lacks an address or two of it at either edge; the interval itself otherwise."""
    low, high = hull
    if (low <= V4_LAST) != (high <= V4_LAST) or gaps >= MOST_EXCEPTIONS:
        return hull
    base = 0 if low <= V4_LAST else V6_FIRST
    bits = max(1, ((low - base) ^ (high - base)).bit_length())
    first = ((low - base) >> bits << bits) + base
    last = min(first + (1 << bits) - 1, V4_LAST if base == 0 else LAST)
    return (first, last) if (low - first) + (last - high) <= MOST_EDGES else hull


def _edges(hull: Interval, around: Interval) -> list[Interval]:
    out = []
    if around[0] < hull[0]:
        out.append((around[0], hull[0] - 1))
    if around[1] > hull[1]:
        out.append((hull[1] + 1, around[1]))
    return out


def services_text(boxes: list[Box]) -> str:
    """`tcp/80, udp/53`, `all but icmp`, empty for every service. A limit on source ports is named."""
    sources = {b[SOURCE_PORT] for b in boxes}
    flat = region((EVERY[0], EVERY[1], b[PROTOCOL], EVERY[SOURCE_PORT], b[PORT]) for b in boxes).merged()
    rest = (Region((EVERY,)) - flat).merged()
    limit = "" if EVERY[SOURCE_PORT] in sources else f" from port {min(low for low, _ in sources)}"
    if not rest:
        return limit.strip()
    if len(rest.boxes) < len(flat.boxes) or (len(rest.boxes) == len(flat.boxes) and rest.size() < flat.size()):
        return f"all but {_listed(rest)}{limit}"
    return _listed(flat) + limit


def _listed(services: Region) -> str:
    words = [service_text(b[PROTOCOL], b[PORT]) for b in sorted(services.boxes, key=lambda b: (b[PROTOCOL], b[PORT]))]
    more = f" and {len(words) - MOST_SERVICES} more" if len(words) > MOST_SERVICES else ""
    return ", ".join(words[:MOST_SERVICES]) + more
