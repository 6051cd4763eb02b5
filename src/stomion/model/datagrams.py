"""Many datagrams in columns: an object for each would take ten times the bytes of the capture that they are from."""

from __future__ import annotations

from array import array
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from heapq import merge
from itertools import pairwise
from typing import NamedTuple

from stomion.model.packet import Datagram
from stomion.model.provenance import Provenance


class Way(NamedTuple):
    """What messages between two ends have in common. `by_line`: their place is a line of a text, no packet of a capture."""

    file: str
    site: str | None
    src: str
    sport: int
    dst: str
    dport: int
    more_fragments: bool
    ttl: int
    by_line: bool


class Datagrams:
    """The datagrams of a file, in the order in which they were added: 32 bytes and the payload for each."""

    __slots__ = ("_at", "_bytes", "_from", "_numbers", "_place", "_size", "_way", "_ways")

    def __init__(self, items: Iterable[Datagram] = ()) -> None:
        self._ways: list[Way] = []
        self._numbers: dict[Way, int] = {}
        self._at, self._place, self._way = array("d"), array("Q"), array("I")
        self._from, self._size = array("Q"), array("I")
        self._bytes = bytearray()
        for item in items:
            self.append(item)

    def append(self, item: Datagram) -> None:
        """One more, at the end."""
        where = item.where
        way = Way(
            where.file, where.site, item.src, item.sport, item.dst, item.dport, item.more_fragments, item.ttl,
            where.packet is None,
        )  # fmt: skip
        number = self._numbers.setdefault(way, len(self._ways))
        if number == len(self._ways):
            self._ways.append(way)
        self._at.append(item.at)
        self._place.append(where.packet or where.line or 0)
        self._way.append(number)
        self._from.append(len(self._bytes))
        self._size.append(len(item.payload))
        self._bytes += item.payload

    def sort(self) -> None:
        """By their places in the file: what was put together from pieces is added late."""
        if not _rises(self._place):
            order = sorted(range(len(self)), key=self._place.__getitem__)
            for name in ("_at", "_place", "_way", "_from", "_size"):
                column = getattr(self, name)
                setattr(self, name, array(column.typecode, (column[n] for n in order)))

    def __len__(self) -> int:
        return len(self._at)

    def __getitem__(self, number: int) -> Datagram:
        way = self._ways[self._way[number]]
        place = self._place[number] or None
        where = Provenance(way.file, way.site, place if way.by_line else None, None if way.by_line else place)
        start = self._from[number]
        payload = bytes(self._bytes[start : start + self._size[number]])
        return Datagram(
            self._at[number], way.src, way.sport, way.dst, way.dport, payload, where, way.more_fragments, way.ttl
        )

    def __iter__(self) -> Iterator[Datagram]:
        return (self[number] for number in range(len(self)))

    def ways(self) -> Counter[Way]:
        """How many went which way, in the order in which the ways were first taken."""
        counts = Counter(self._way)
        return Counter({way: counts[number] for number, way in enumerate(self._ways)})

    def by_ends(self) -> dict[frozenset[str], array[int]]:
        """The numbers of those between two addresses, whichever way."""
        out: dict[frozenset[str], array[int]] = {}
        lists = [out.setdefault(frozenset((way.src, way.dst)), array("Q")) for way in self._ways]
        for number, way in enumerate(self._way):
            lists[way].append(number)
        return out

    def in_time(self, numbers: Iterable[int]) -> Sequence[int]:
        """Some of them in the order of their times; those of one moment by their places."""
        chosen = array("Q", numbers)
        if not _rises([self._at[n] for n in chosen]) or not _rises([self._place[n] for n in chosen]):
            chosen = array("Q", sorted(chosen, key=lambda n: (self._at[n], self._place[n])))
        return chosen

    def moment(self, number: int) -> tuple[float, int]:
        """When it was seen, and its place."""
        return self._at[number], self._place[number]

    def begins(self, number: int, size: int) -> bytes:
        """The first bytes of one, without the making of a datagram."""
        start = self._from[number]
        return bytes(self._bytes[start : start + min(size, self._size[number])])


class Gathered:
    """Datagrams of several files in the order of their times, made one by one where they are asked for."""

    def __init__(self, parts: Iterable[tuple[Datagrams, Iterable[int]]]) -> None:
        chosen = [(held, held.in_time(numbers)) for held, numbers in parts]
        self._held = [held for held, _ in chosen]
        # A file's number stands in the upper bits: one small integer for each, instead of a pair.
        rows = [self._keyed(file, numbers) for file, (_, numbers) in enumerate(chosen)]
        self._rows: Sequence[int] = rows[0] if len(rows) == 1 else array("Q", merge(*rows, key=self._moment))

    @staticmethod
    def _keyed(file: int, numbers: Iterable[int]) -> array[int]:
        return array("Q", (file << _SHIFT | number for number in numbers))

    def _moment(self, row: int) -> tuple[float, int]:
        return self._held[row >> _SHIFT].moment(row & _MASK)

    def __len__(self) -> int:
        return len(self._rows)

    def __iter__(self) -> Iterator[Datagram]:
        return (self._held[row >> _SHIFT][row & _MASK] for row in self._rows)

    @property
    def first(self) -> Datagram:
        """Raises IndexError where there is none."""
        row = self._rows[0]
        return self._held[row >> _SHIFT][row & _MASK]

    def ends_of(self, most: int) -> int:
        """Keep the first and the last, `most` in all; how many were left out."""
        over = max(0, len(self) - most)
        if over:
            half = most // 2
            self._rows = array("Q", [*self._rows[: most - half], *self._rows[len(self) - half :]])
        return over

    def beginnings(self, size: int) -> Iterator[bytes]:
        """The first bytes of each."""
        return (self._held[row >> _SHIFT].begins(row & _MASK, size) for row in self._rows)

    def only(self, wanted: Iterable[bool]) -> None:
        """Keep those for which it is true, given one by one."""
        self._rows = array("Q", (row for row, keep in zip(self._rows, wanted, strict=True) if keep))


_SHIFT = 40
_MASK = (1 << _SHIFT) - 1


def _rises(values: Sequence[float] | array[int]) -> bool:
    return all(a <= b for a, b in pairwise(values))
