"""Flows that are expected of a whole range: the part of them that fares otherwise, exactly, and one packet of it to show how."""

from __future__ import annotations

from dataclasses import replace

from stomion.model.box import Box, Interval
from stomion.model.tables import State
from stomion.space.axis import V6_FIRST, address_text, interval_of
from stomion.space.boxes import DESTINATION, PORT, PROTOCOL, SOURCE, Region, box_of, on_axis, region
from stomion.space.services import ECHO_TYPE, PORTED, PROTOCOL_NAMES, service_of
from stomion.tunnel.picture import LanTest
from stomion.walk.journey import Share, Side, partition
from stomion.walk.passage import Fate

FINE = (Fate.CARRIED, Fate.LOCAL, Fate.UNCERTAIN)
"""Fates that do not speak against an expectation to reach: a gateway's own addresses are no hosts, and a doubt is no fault."""
_USUAL = (80, 443, 22, 53)


def is_wide(test: LanTest) -> bool:
    """Does an expectation speak of more than one packet?"""
    if test.seen:
        return False
    if any("/" in text or "-" in text for text in (test.source, test.to)):
        return True
    if not test.source and "/" not in test.who:
        # A whole site; a host that no table gives an address for is still one host.
        return True
    try:
        found = service_of(test.service)
    except ValueError:
        return False
    return test.service != "icmp" and any(port[0] != port[1] or number[0] != number[1] for number, port in found)


def asked_words(test: LanTest) -> str:
    """`10.64.0.0/21 > 10.96.0.0/20 tcp/80`: what an expectation says, by which the packet that stands for it is known."""
    return f"{test.source or test.who} > {test.to} {test.service}"


def within(who: str, to: str, service: str, test: LanTest) -> bool:
    """Is what was tried by `who` (an address, `site/host` or a site) a part of what an expectation names?"""
    try:
        target, wanted = interval_of(to), interval_of(test.to)
        asked, allowed = service_of(service or "icmp"), service_of(test.service)
    except ValueError:
        return False
    return (
        _from(who, test)
        and all(any(_in(t, w) for w in wanted) for t in target)
        and any(_in(a[0], b[0]) and _in(a[1], b[1]) for a in asked for b in allowed)
    )


def _in(inner: Interval, outer: Interval) -> bool:
    return outer[0] <= inner[0] and inner[1] <= outer[1]


def _from(who: str, test: LanTest) -> bool:
    if who == test.who or who.startswith(f"{test.who}/"):
        return True
    try:
        return all(any(_in(w, s) for s in interval_of(test.source)) for w in interval_of(who))
    except ValueError:
        return False


def asked_region(test: LanTest, sender: Side) -> Region:
    """All packets that an expectation names. Raises ValueError for what is no range or service."""
    sources = interval_of(test.source) if test.source else list(sender.lans)
    boxes: list[Box] = [
        box_of(source, to, protocol, port)
        for source in sources
        for to in interval_of(test.to)
        for protocol, port in service_of(test.service)
        if (protocol == (58, 58)) == (to[0] >= V6_FIRST) or protocol not in ((1, 1), (58, 58))
    ]
    return region(boxes)


def witness(sender: Side, receiver: Side, shares: tuple[Share, ...], test: LanTest) -> tuple[LanTest, Region]:
    """(one packet as a flow, the packets that fare otherwise than expected); any packet and an empty set where all do as they should.
    Raises ValueError for what is no range or service, TooMany where the set falls into too many parts."""
    asked = asked_region(test, sender)
    if test.expected:
        part = _largest([s.region & asked for s in shares if s.fate not in FINE])
        if not part and shares and receiver.gateway is not None:
            back = partition(receiver, sender, State.ESTABLISHED)
            part = _largest([s.region & asked.turned() for s in back if s.fate not in FINE]).turned()
    else:
        part = _largest([s.region & asked for s in shares if s.fate is Fate.CARRIED])
    hosts = (part or _largest([s.region & asked for s in shares]) or asked) - _gateways(sender, receiver)
    return _as_flow(test, hosts or part or asked), part.merged()


def _gateways(sender: Side, receiver: Side) -> Region:
    """Packets from or to a gateway's own addresses: no host's, and so no good example."""
    boxes: list[Box] = []
    for axis, side in ((SOURCE, sender), (DESTINATION, receiver)):
        for rows in side.gateway.addresses.values() if side.gateway is not None else ():
            boxes.extend(on_axis(axis, (own, own)) for own, _ in rows)
    return region(boxes)


def _largest(parts: list[Region]) -> Region:
    return max(parts, key=Region.size, default=Region())


def _as_flow(test: LanTest, part: Region) -> LanTest:
    box = max(part.boxes, key=lambda b: Region((b,)).size())
    protocol = _prefer(box[PROTOCOL], (6, 17, 1))
    port = _prefer(box[PORT], _USUAL)
    name = "icmp" if protocol in ECHO_TYPE else PROTOCOL_NAMES.get(protocol, str(protocol))
    service = f"{name}/{port}" if protocol in PORTED else name
    source, to = (address_text(_host_in(box[axis])) for axis in (SOURCE, DESTINATION))
    return replace(test, source=source, to=to, service=service, asked=asked_words(test))


def _prefer(interval: Interval, wanted: tuple[int, ...]) -> int:
    low, high = interval
    return next((v for v in wanted if low <= v <= high), low)


def _host_in(interval: Interval) -> int:
    """An address that a host may have: not the first of a range, where there are others."""
    low, high = interval
    return low + 1 if high > low + 1 else low
