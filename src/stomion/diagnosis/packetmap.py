"""All packets of one direction as a map: ranges of sources by ranges of destinations, each field with the fates of its services."""

from __future__ import annotations

import itertools
from bisect import bisect_left
from collections.abc import Iterable
from dataclasses import dataclass

from stomion.algebra.boxes import DESTINATION, EVERY, SOURCE, V6_FIRST, Box, Interval, Region
from stomion.walk.journey import Share
from stomion.walk.passage import Fate


@dataclass(frozen=True, slots=True)
class Part:
    """What of a field shares a fate, with the share it belongs to."""

    share: Share
    region: Region


@dataclass(frozen=True, slots=True)
class PacketMap:
    """`rows` are ranges of sources, `columns` of destinations; both in order, without overlap."""

    rows: tuple[Interval, ...]
    columns: tuple[Interval, ...]
    shares: tuple[Share, ...]

    def field(self, row: int, column: int) -> tuple[Part, ...]:
        """The parts of a field, what is carried first; empty where no packet is."""
        box = (self.rows[row], self.columns[column], *EVERY[2:])
        parts = [Part(s, found) for s in self.shares if (found := s.region & Region((box,)))]
        return tuple(sorted(parts, key=lambda p: (p.share.fate is not Fate.CARRIED, -p.region.size())))

    def fates(self, row: int, column: int) -> tuple[Fate, ...]:
        """The fates in a field, each once, what is carried first."""
        return tuple(dict.fromkeys(p.share.fate for p in self.field(row, column)))


def packet_map(
    before: Iterable[Share], after: Iterable[Share] = (), most: tuple[int, int] = (12, 24)
) -> tuple[PacketMap, PacketMap]:
    """Two maps over the same rows and columns, at most `most` (rows, columns): where fates differ within what is drawn as one range, a
    field has several. The second is that of a what-if; it is empty where none is given."""
    old, new = tuple(before), tuple(after)
    boxes = [*_outlines(old), *_outlines(new)]
    own = [b[DESTINATION] for s in (*old, *new) if s.fate is Fate.LOCAL for b in s.region.boxes]
    hidden = {edge for low, high in own for edge in (low, high + 1)}
    rows = _ranges([b[SOURCE] for b in boxes], most[0], set())
    columns = _ranges([b[DESTINATION] for b in boxes], most[1], hidden)
    return PacketMap(rows, columns, old), PacketMap(rows, columns, new)


def _outlines(shares: tuple[Share, ...]) -> list[Box]:
    """The boxes whose edges the map shows. A gateway's own addresses cut no line through its LAN."""
    by_fate: dict[tuple[Fate, int], list[Box]] = {}
    for share in shares:
        fate = Fate.CARRIED if share.fate is Fate.LOCAL else share.fate
        by_fate.setdefault((fate, 0 if fate is Fate.CARRIED else id(share)), []).extend(share.region.boxes)
    return [box for boxes in by_fate.values() for box in Region(tuple(boxes)).merged().boxes]


def _ranges(intervals: list[Interval], most: int, hidden: set[int]) -> tuple[Interval, ...]:
    """The ranges into which the ends of some intervals cut what they cover; neighbours joined, the narrowest first, until few enough.
    Cuts that are `hidden` are left out: a gateway's own address is no range of its own."""
    covered = _union(intervals)
    edges = {edge for interval in covered for edge in (interval[0], interval[1] + 1)}
    cuts = sorted((({low for low, _ in intervals} | {high + 1 for _, high in intervals}) - hidden) | edges)
    out: list[Interval] = []
    for low, high in covered:
        inner = cuts[bisect_left(cuts, low) : bisect_left(cuts, high + 1) + 1]
        out += [(a, b - 1) for a, b in itertools.pairwise(inner)]
    while len(out) > most:
        touching = [i for i in range(len(out) - 1) if out[i][1] + 1 == out[i + 1][0]] or list(range(len(out) - 1))
        at = min(touching, key=lambda i: out[i + 1][1] - out[i][0])
        out[at : at + 2] = [(out[at][0], out[at + 1][1])]
    return tuple(out)


def _union(intervals: list[Interval]) -> list[Interval]:
    out: list[Interval] = []
    for low, high in sorted(intervals):
        if out and low <= out[-1][1] + 1 and low != V6_FIRST:
            out[-1] = (out[-1][0], max(high, out[-1][1]))
        else:
            out.append((low, high))
    return out
