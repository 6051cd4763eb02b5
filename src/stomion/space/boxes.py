"""Sets of packets as boxes: exact union, intersection and difference over addresses, protocols and ports.

A packet is a point (source, destination, protocol, source port, destination port). Where a protocol has no ports, its points have
all of them; ICMP's type stands in the destination port's place where a rule names it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from stomion.model.box import Box, Interval
from stomion.space.axis import LAST, V4_ALL, V6_ALL, joined
from stomion.space.services import ANSWER_TYPES, ANY_PORT, ANY_PROTOCOL

SOURCE, DESTINATION, PROTOCOL, SOURCE_PORT, PORT = range(5)
ANY_ADDRESS: Interval = (0, LAST)
EVERY: Box = (ANY_ADDRESS, ANY_ADDRESS, ANY_PROTOCOL, ANY_PORT, ANY_PORT)
V4: Box = (V4_ALL, V4_ALL, ANY_PROTOCOL, ANY_PORT, ANY_PORT)
V6: Box = (V6_ALL, V6_ALL, ANY_PROTOCOL, ANY_PORT, ANY_PORT)
MAX_BOXES = 200_000
"""Boxes a set may fall into before the arithmetic is given up; real tables stay far below."""


def box_of(
    source: Interval = ANY_ADDRESS,
    destination: Interval = ANY_ADDRESS,
    protocol: Interval = ANY_PROTOCOL,
    port: Interval = ANY_PORT,
    source_port: Interval = ANY_PORT,
) -> Box:
    """A box by its axes' names; what is not named is not limited."""
    return source, destination, protocol, source_port, port


def on_axis(axis: int, interval: Interval, base: Box = EVERY) -> Box:
    """A box that is limited in one axis more."""
    return (*base[:axis], interval, *base[axis + 1 :])


class TooMany(ArithmeticError):
    """A set fell into more than MAX_BOXES boxes."""


def meet(a: Box, b: Box) -> Box | None:
    """What two boxes share."""
    # The innermost loop of all: comparisons cost a third of calls to min and max, and most axes of a rule are not limited.
    out: list[Interval] = []
    for mine, theirs in zip(a, b, strict=True):
        if mine == theirs:
            out.append(mine)
            continue
        (low, high), (first, last) = mine, theirs
        bottom = first if first > low else low
        top = last if last < high else high
        if bottom > top:
            return None
        out.append((bottom, top))
    return tuple(out)


def minus(a: Box, b: Box) -> list[Box]:
    """`a` without `b`, as disjoint boxes: at most two for every axis."""
    shared = meet(a, b)
    if shared is None:
        return [a]
    out: list[Box] = []
    rest = list(a)
    for axis, (bottom, top) in enumerate(shared):
        low, high = rest[axis]
        if low < bottom:
            out.append((*rest[:axis], (low, bottom - 1), *rest[axis + 1 :]))
        if top < high:
            out.append((*rest[:axis], (top + 1, high), *rest[axis + 1 :]))
        rest[axis] = (bottom, top)
    return out


def answers(box: Box) -> list[Box]:
    """The answers to a box of packets, as disjoint boxes. Turning the answers gives the box back."""
    source, destination, (low, high), source_port, port = box
    if source_port == port == ANY_PORT:
        return [box_of(destination, source, (low, high))]
    out: list[Box] = []
    for number, types in sorted(ANSWER_TYPES.items()):
        if low <= number <= high:
            if low < number:
                out.append(box_of(destination, source, (low, number - 1), source_port, port))
            # ICMP has no ports: only its type is exchanged.
            out += [box_of(destination, source, (number, number), t, source_port) for t in _answer_types(port, types)]
            low = number + 1
    if low <= high:
        out.append(box_of(destination, source, (low, high), source_port, port))
    return out


def _answer_types(asked: Interval, types: dict[int, int]) -> list[Interval]:
    """The types of the answers to an interval of ICMP types; a type that has no answer of its own stays."""
    out: list[Interval] = []
    low, high = asked
    for kind in sorted(types):
        if low <= kind <= high:
            out += [(low, kind - 1)] if low < kind else []
            out.append((types[kind], types[kind]))
            low = kind + 1
    return joined(out + ([(low, high)] if low <= high else []))


@dataclass(frozen=True, slots=True)
class Region:
    """A set of points as disjoint boxes. Operators: `&`, `|`, `-`; truth is being not empty."""

    boxes: tuple[Box, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.boxes)

    def __and__(self, other: Region) -> Region:
        return Region(tuple(m for a in self.boxes for b in other.boxes if (m := meet(a, b)) is not None))

    def __sub__(self, other: Region) -> Region:
        rest: list[Box] = list(self.boxes)
        for b in other.boxes:
            rest = [piece for a in rest for piece in minus(a, b)]
            if len(rest) > MAX_BOXES:
                raise TooMany
        return Region(tuple(rest))

    def __or__(self, other: Region) -> Region:
        return Region(self.boxes + (other - self).boxes)

    def __contains__(self, point: Sequence[int]) -> bool:
        return any(all(low <= x <= high for x, (low, high) in zip(point, box, strict=True)) for box in self.boxes)

    def covers(self, other: Region) -> bool:
        """True where every point of `other` is in this set."""
        return not (other - self)

    def same(self, other: Region) -> bool:
        """True where both hold the same points."""
        return self.covers(other) and other.covers(self)

    def size(self) -> int:
        """How many points."""
        total = 0
        for box in self.boxes:
            volume = 1
            for low, high in box:
                volume *= high - low + 1
            total += volume
        return total

    def turned(self) -> Region:
        """The answers to these packets: addresses and ports exchanged, an ICMP question's type made its answer's."""
        return Region(tuple(answer for box in self.boxes for answer in answers(box)))

    def first(self) -> tuple[int, ...] | None:
        """One point of the set: the lowest of its first box."""
        return tuple(low for low, _ in self.boxes[0]) if self.boxes else None

    def merged(self) -> Region:
        """The same points in fewer boxes: neighbours that differ in one axis only are joined."""
        boxes = list(self.boxes)
        for _ in range(8):
            before = len(boxes)
            for axis in range(len(EVERY)):
                boxes = _joined(boxes, axis)
            if len(boxes) == before:
                break
        return Region(tuple(sorted(boxes)))


def _joined(boxes: list[Box], axis: int) -> list[Box]:
    """Join boxes that are alike in all axes but this one, and touch in it."""
    alike: dict[Box, list[Interval]] = {}
    for box in boxes:
        alike.setdefault((*box[:axis], *box[axis + 1 :]), []).append(box[axis])
    out = []
    for rest, intervals in alike.items():
        for interval in joined(intervals):
            out.append((*rest[:axis], interval, *rest[axis:]))
    return out


def region(boxes: Iterable[Box]) -> Region:
    """Any boxes, overlapping or not, as a set."""
    rows = list(dict.fromkeys(boxes))
    axis = _only_axis(rows)
    if axis is not None:
        # A list of addresses or of ports: sorted and joined, not subtracted one from the other.
        first = rows[0]
        spans = joined(box[axis] for box in rows)
        return Region(tuple((*first[:axis], span, *first[axis + 1 :]) for span in spans))
    out = Region()
    for box in rows:
        out = out | Region((box,))
    return out


def _only_axis(rows: list[Box]) -> int | None:
    """The axis on which boxes differ, where it is one alone."""
    if len(rows) < len(("one", "other")):
        return None
    first = rows[0]
    axes = {axis for row in rows for axis in range(len(first)) if row[axis] != first[axis]}
    return next(iter(axes)) if len(axes) == 1 else None
