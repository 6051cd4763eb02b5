"""Sets of packets in words: short, and never another set than the one meant."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.model.box import Box, Interval
from stomion.space import packetwords
from stomion.space.axis import interval_of, joined
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


V6 = interval_of("2001:db8::/64")[0]
STARTS = (interval_of("10.64.0.0")[0][0], interval_of("2001:db8::")[0][0])
SPANS = st.builds(
    lambda start, parts: joined([(STARTS[start] + low, STARTS[start] + low + size) for low, size in parts]),
    st.integers(0, 1), st.lists(st.tuples(st.integers(0, 300), st.integers(0, 40)), min_size=1, max_size=4),
)  # fmt: skip


def _meant(text: str) -> list[Interval]:
    """What words mean, read as a person would."""
    whole, _, without = text.partition(" except ")
    inside = {n for part in whole.split(" + ") for low, high in interval_of(part) for n in range(low, high + 1)}
    outside = {
        n for part in without.split(" + ") if part for low, high in interval_of(part) for n in range(low, high + 1)
    }
    return joined([(n, n) for n in inside - outside])


@given(SPANS)
def test_the_words_mean_the_same_addresses(spans: list[Interval]) -> None:
    text = spans_text(spans)
    assert " more" in text or _meant(text) == spans


@pytest.mark.parametrize(("spans", "words"), [
    (_spans("10.64.0.1-10.64.0.6"), "10.64.0.0/29 except 10.64.0.0 + 10.64.0.7"),
    (_spans("10.64.0.2-10.64.0.7"), "10.64.0.2/31 + 10.64.0.4/30"),
    (_spans("10.64.0.3-10.64.0.9", "10.64.0.11"), "10.64.0.3 + 10.64.0.4/30 + 10.64.0.8/31 + 10.64.0.11"),
    (_spans("10.64.0.3-10.64.0.9", "10.64.0.11", "10.64.0.14"), "10.64.0.3 + 10.64.0.4/30 + 10.64.0.8/31 + 10.64.0.11 and 1 more"),
    (_spans("2001:db8::1-2001:db8::e"), "2001:db8::/124 except 2001:db8:: + 2001:db8::f"),
    (_spans("10.64.0.0", "10.64.0.2", "10.64.0.4", "10.64.0.6-10.64.0.255"), "10.64.0.0/24 except 10.64.0.1 + 10.64.0.3 + 10.64.0.5"),
    (_spans("0.0.0.0-255.255.255.254", "::1-::2"), "0.0.0.0/1 + 128.0.0.0/2 + 192.0.0.0/3 + 224.0.0.0/4 and 30 more"),
    (_spans("10.64.0.0/24", "2001:db8::/64"), "10.64.0.0/24 + 2001:db8::/64"),
])  # fmt: skip
def test_ranges_with_edges_and_exceptions(spans: list[Interval], words: str) -> None:
    assert spans_text(joined(spans)) == words


@pytest.mark.parametrize(("boxes", "words"), [
    ([(LAN, FAR, (6, 6), (1024, 65535), (80, 80)), (LAN, FAR, (6, 6), (99, 99), (81, 81))], "tcp/80-81 from port 99"),
    ([(LAN, FAR, (6, 6), (1024, 65535), (80, 80)), (LAN, FAR, (6, 6), EVERY[3], (81, 81))], "tcp/80-81"),
    ([(LAN, FAR, EVERY[2], (1024, 65535), EVERY[4])], "from port 1024"),
    ([(LAN, FAR, (0, 5), EVERY[3], EVERY[4]), (LAN, FAR, (7, 255), EVERY[3], EVERY[4])], "all but tcp"),
    ([(LAN, FAR, (0, 5), (7, 7), EVERY[4]), (LAN, FAR, (7, 255), (7, 7), EVERY[4])], "all but tcp from port 7"),
    ([(LAN, FAR, (6, 6), EVERY[3], (0, 79))], "tcp/0-79"), ([(LAN, FAR, (0, 200), EVERY[3], EVERY[4])], "all but protocols 201-255"),
    ([(LAN, FAR, (200, 255), EVERY[3], EVERY[4])], "protocols 200-255"),
    ([(LAN, FAR, (17, 17), EVERY[3], (53, 53)), (LAN, FAR, (6, 6), EVERY[3], (443, 443))], "tcp/443, udp/53"),
])  # fmt: skip
def test_services_with_limits_and_exceptions(boxes: list[Box], words: str) -> None:
    assert services_text(boxes) == words


def test_the_widest_part_comes_first_and_overlapping_sources_are_cut(monkeypatch: pytest.MonkeyPatch) -> None:
    one, half = (FAR[0], FAR[0]), (LAN[0], LAN[0] + 127)
    space = Region(((half, one, (17, 17), EVERY[3], (53, 53)), (LAN, FAR, (6, 6), EVERY[3], (80, 80))))
    assert packets_text(space) == (
        "10.64.0.0/25 to 10.96.0.0/24 tcp/80; 10.64.0.128/25 to 10.96.0.0/24 tcp/80; and 1 more"
    )  # fmt: skip
    assert packets_text(space, 3).endswith("; 10.64.0.0/25 to 10.96.0.0 udp/53") and "more" not in packets_text(
        space, 3
    )
    assert packets_text(space, 1).endswith("; and 2 more")
    assert packets_text(Region(())) == ""
    monkeypatch.setattr(packetwords, "MOST_WORK", 3)
    packets_text.cache_clear()
    assert packets_text(space) == "10.64.0.0/24 to 10.96.0.0/24 tcp/80; 10.64.0.0/25 to 10.96.0.0 udp/53"
    packets_text.cache_clear()
