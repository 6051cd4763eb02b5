"""Sets of packets as boxes: exact union, intersection and difference over addresses, protocols and ports.

A packet is a point (source, destination, protocol, source port, destination port). Both address families lie on one axis,
IPv4 first, so that a set may hold both. Where a protocol has no ports, its points have all of them; ICMP's type stands in the
destination port's place where a rule names it.
"""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from stomion.space.ranges import written

Interval = tuple[int, int]
Box = tuple[Interval, ...]

V4_LAST = 2**32 - 1
V6_FIRST = 2**32
LAST = V6_FIRST + 2**128 - 1
SOURCE, DESTINATION, PROTOCOL, SOURCE_PORT, PORT = range(5)
EVERY: Box = ((0, LAST), (0, LAST), (0, 255), (0, 65_535), (0, 65_535))
V4: Box = ((0, V4_LAST), (0, V4_LAST), *EVERY[2:])
V6: Box = ((V6_FIRST, LAST), (V6_FIRST, LAST), *EVERY[2:])
PORTED = (6, 17, 132, 136, 33)
"""Protocols with ports: TCP, UDP, SCTP, UDP-Lite, DCCP."""
PROTOCOLS = {"icmp": 1, "tcp": 6, "udp": 17, "gre": 47, "esp": 50, "ah": 51, "icmpv6": 58, "ipv6-icmp": 58, "sctp": 132}
_NAMES = {1: "icmp", 6: "tcp", 17: "udp", 47: "gre", 50: "esp", 51: "ah", 58: "icmpv6", 132: "sctp"}
MAX_BOXES = 200_000
"""Boxes a set may fall into before the arithmetic is given up; real tables stay far below."""


class TooMany(ArithmeticError):
    """A set fell into more than MAX_BOXES boxes."""


def meet(a: Box, b: Box) -> Box | None:
    """What two boxes share."""
    out = []
    for (low, high), (first, last) in zip(a, b, strict=True):
        bottom, top = max(low, first), min(high, last)
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
        """The answers to these packets: source and destination exchanged."""
        return Region(tuple((b[DESTINATION], b[SOURCE], b[PROTOCOL], b[PORT], b[SOURCE_PORT]) for b in self.boxes))

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


def joined(intervals: Iterable[Interval]) -> list[Interval]:
    """Intervals in order, those that overlap or touch as one. IPv4 and IPv6 touch on the axis, and yet are two families."""
    out: list[Interval] = []
    for low, high in sorted(intervals):
        if out and low <= out[-1][1] + 1 and low != V6_FIRST:
            out[-1] = (out[-1][0], max(high, out[-1][1]))
        else:
            out.append((low, high))
    return out


def region(boxes: Iterable[Box]) -> Region:
    """Any boxes, overlapping or not, as a set."""
    out = Region()
    for box in boxes:
        out = out | Region((box,))
    return out


def address_number(text: str) -> int:
    """An address on the common axis. Raises ValueError for what is none."""
    found = ipaddress.ip_address(text)
    return int(found) + (V6_FIRST if found.version == 6 else 0)


def address_text(number: int) -> str:
    """A point of the common axis as an address."""
    if number < V6_FIRST:
        return str(ipaddress.IPv4Address(number))
    return str(ipaddress.IPv6Address(number - V6_FIRST))


def interval_of(text: str) -> list[Interval]:
    """`any`, `default`, a prefix, an address or LOW-HIGH on the common axis. Raises ValueError for what is none of these."""
    text = text.strip()
    if text in ("any", "default", ""):
        return [(0, V4_LAST), (V6_FIRST, LAST)]
    if "-" in text and "/" not in text:
        low, _, high = text.partition("-")
        return [(address_number(low.strip()), address_number(high.strip()))]
    network = ipaddress.ip_network(text, strict=False)
    shift = V6_FIRST if network.version == 6 else 0
    return [(int(network[0]) + shift, int(network[-1]) + shift)]


def service_of(text: str) -> list[tuple[Interval, Interval]]:
    """(protocol, destination port) intervals of `tcp/80`, `udp/500-520`, `tcp`, `icmp`, `50`, `any`. Raises ValueError."""
    name, _, ports = text.strip().lower().partition("/")
    if name in ("any", ""):
        return [(EVERY[PROTOCOL], EVERY[PORT])]
    if name in ("http", "https", "ssh", "dns") and not ports:
        name, ports = {"http": ("tcp", "80"), "https": ("tcp", "443"), "ssh": ("tcp", "22"), "dns": ("udp", "53")}[name]
    if name == "icmp" and not ports:
        return [((1, 1), EVERY[PORT]), ((58, 58), EVERY[PORT])]
    number = PROTOCOLS.get(name)
    if number is None:
        number = int(name)
    if not 0 <= number <= 255:
        raise ValueError(text)
    if not ports:
        return [((number, number), EVERY[PORT])]
    low, _, high = ports.partition("-")
    return [((number, number), (int(low), int(high or low)))]


def addresses_text(interval: Interval) -> tuple[str, ...]:
    """An interval of the common axis as the fewest prefixes; `any` for all of both families, or of one."""
    low, high = interval
    if (low, high) in ((0, LAST), (0, V4_LAST)):
        return ("any",)
    out: tuple[str, ...] = ()
    if low <= V4_LAST:
        out += written([(4, low, min(high, V4_LAST))])
    if high >= V6_FIRST:
        out += written([(6, max(low, V6_FIRST) - V6_FIRST, high - V6_FIRST)])
    return out


def service_text(protocol: Interval, port: Interval) -> str:
    """`tcp/80`, `udp/500-520`, `icmp`, `any protocol`, `protocols 7-16`."""
    low, high = protocol
    if (low, high) == EVERY[PROTOCOL]:
        return "any protocol" if port == EVERY[PORT] else f"any protocol, port {_ports(port)}"
    name = _NAMES.get(low, f"protocol {low}") if low == high else f"protocols {low}-{high}"
    return name if port == EVERY[PORT] else f"{name}/{_ports(port)}"


def _ports(port: Interval) -> str:
    return str(port[0]) if port[0] == port[1] else f"{port[0]}-{port[1]}"
