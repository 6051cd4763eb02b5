"""All packets of one direction as a map: ranges of sources by ranges of destinations, each field with the fates of its services."""

from __future__ import annotations

import itertools
from bisect import bisect_left, bisect_right
from collections.abc import Iterable
from dataclasses import dataclass

from stomion.model.box import Box, Interval
from stomion.space.axis import joined
from stomion.space.boxes import DESTINATION, SOURCE, Region, box_of, meet
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
    fields: dict[tuple[int, int], tuple[Part, ...]]

    def field(self, row: int, column: int) -> tuple[Part, ...]:
        """The parts of a field, what is carried first; empty where no packet is."""
        return self.fields.get((row, column), ())

    def fates(self, row: int, column: int) -> tuple[Fate, ...]:
        """The fates in a field, each once, what is carried first."""
        return tuple(dict.fromkeys(p.share.fate for p in self.field(row, column)))


def _map(rows: tuple[Interval, ...], columns: tuple[Interval, ...], shares: tuple[Share, ...]) -> PacketMap:
    """Every box put into the fields it reaches into: of thousands, few reach into each."""
    found: dict[tuple[int, int], list[Part]] = {}
    for share in shares:
        held: dict[tuple[int, int], list[Box]] = {}
        for box in share.region.boxes:
            for row in _reached(rows, box[SOURCE]):
                for column in _reached(columns, box[DESTINATION]):
                    part = meet(box, box_of(rows[row], columns[column]))
                    if part is not None:
                        held.setdefault((row, column), []).append(part)
        for place, boxes in held.items():
            found.setdefault(place, []).append(Part(share, Region(tuple(boxes))))
    order = {
        place: tuple(sorted(parts, key=lambda p: (p.share.fate is not Fate.CARRIED, -p.region.size())))
        for place, parts in found.items()
    }
    return PacketMap(rows, columns, shares, order)


def _reached(ranges: tuple[Interval, ...], interval: Interval) -> range:
    """The places of the ranges that an interval shares something with."""
    first = bisect_left(ranges, interval[0], key=lambda r: r[1])
    return range(first, max(first, bisect_right(ranges, interval[1], key=lambda r: r[0])))


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
    return _map(rows, columns, old), _map(rows, columns, new)


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
    covered = joined(intervals)
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
