"""Sets of packets in words: short, and never another set than the one meant."""

from __future__ import annotations

import pytest

from stomion.model.box import Box, Interval
from stomion.space.axis import interval_of
from stomion.space.boxes import EVERY, Region, region
from stomion.space.packetwords import packets_text, range_text, services_text, spans_text
from stomion.space.services import service_of

LAN, FAR = interval_of("10.64.0.0/24")[0], interval_of("10.96.0.0/24")[0]


def _spans(*texts: str) -> list[Interval]:
    return [i for t in texts for i in interval_of(t)]


@pytest.mark.parametrize(
    ("spans", "words"),
    [
        (_spans("10.64.0.0/24"), "10.64.0.0/24"),
        (_spans("10.64.0.0/25", "10.70.0.0/24"), "10.64.0.0/25 + 10.70.0.0/24"),
        (_spans("10.64.0.0", "10.64.0.2-10.64.0.255"), "10.64.0.0/24 except 10.64.0.1"),
        (_spans("10.64.0.1-10.64.0.254"), "10.64.0.0/24 except 10.64.0.0 + 10.64.0.255"),
        (_spans("10.64.0.0-10.64.0.9", "10.64.0.20-10.64.0.255"), "10.64.0.0/24 except 10.64.0.10/31 + 10.64.0.12/30 + 10.64.0.16/30"),
        (_spans("2001:db8::-2001:db8::4", "2001:db8::6-2001:db8::ffff"), "2001:db8::/112 except 2001:db8::5"),
        (_spans("any"), "any + ::/0"),
        ([], "nothing"),
    ],
)  # fmt: skip
def test_ranges(spans: list[Interval], words: str) -> None:
    assert spans_text(spans) == words


def _boxes(*services: str) -> list[Box]:
    return [(LAN, FAR, protocol, EVERY[3], port) for s in services for protocol, port in service_of(s)]


@pytest.mark.parametrize(
    ("services", "words"),
    [
        (("any",), ""),
        (("tcp/80", "udp/53"), "tcp/80, udp/53"),
        (("tcp/80", "tcp/81"), "tcp/80-81"),
        (("tcp/1", "tcp/3", "tcp/5", "tcp/7"), "tcp/1, tcp/3, tcp/5 and 1 more"),
    ],
)
def test_services(services: tuple[str, ...], words: str) -> None:
    assert services_text(_boxes(*services)) == words


def test_a_whole_with_exceptions() -> None:
    rest = Region(((LAN, FAR, *EVERY[2:]),)) - region(_boxes("icmp", "tcp/80"))
    assert packets_text(rest) == "10.64.0.0/24 to 10.96.0.0/24 all but icmp, tcp/80, icmpv6"
    one = (LAN, FAR, (6, 6), (1024, 65535), (80, 80))
    assert packets_text(Region((one,))) == "10.64.0.0/24 to 10.96.0.0/24 tcp/80 from port 1024"


def test_parts_that_fare_alike_are_one() -> None:
    second = interval_of("10.64.2.0/24")[0]
    boxes = [(a, FAR, *EVERY[2:]) for a in (LAN, second)]
    assert packets_text(Region(tuple(boxes))) == "10.64.0.0/24 + 10.64.2.0/24 to 10.96.0.0/24"
    more = [(LAN, (FAR[0] + n, FAR[0] + n), (6, 6), EVERY[3], (n, n)) for n in range(5)]
    assert packets_text(Region(tuple(more))).endswith("tcp/1; and 3 more")


@pytest.mark.parametrize(
    "text", ["10.64.0.0/24", "10.64.0.9", "10.64.0.0-10.64.0.19", "2001:db8::/64", "2001:db8::1", "any"]
)
def test_a_label_of_one_range_is_read_back(text: str) -> None:
    interval = interval_of(text)[0]
    assert range_text(interval) == text and interval_of(range_text(interval))[0] == interval
