"""Sets of packets: the laws of sets, and the same answers as trying every point."""

from __future__ import annotations

import itertools
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.ingest.sheet import read_sheet
from stomion.model.box import Box
from stomion.space.axis import (
    V4_LAST,
    V6_FIRST,
    address_number,
    address_text,
    addresses_text,
    as_prefix,
    interval_of,
    joined,
    prefix_of,
)
from stomion.space.boxes import EVERY, Region, region
from stomion.space.ranges import spans
from stomion.space.services import ANSWER_TYPES, service_of, service_text

SIDE = 3
POINTS = list(product(range(SIDE), repeat=5))


def _interval() -> st.SearchStrategy[tuple[int, int]]:
    return st.tuples(st.integers(0, SIDE - 1), st.integers(0, SIDE - 1)).map(lambda p: (min(p), max(p)))


ANY = st.sampled_from([0, 1, 2, 8, 13, 57, 58, 59, 128, 129, 130])
WIDE = st.tuples(ANY, ANY).map(lambda p: (min(p), max(p)))
BOXES = st.lists(st.tuples(*[_interval()] * 5), max_size=4)


def _points(boxes: list[Box] | tuple[Box, ...]) -> set[tuple[int, ...]]:
    return {p for p in POINTS if p in Region(tuple(boxes))}


@given(BOXES, BOXES)
def test_operators_are_those_of_sets(a: list[Box], b: list[Box]) -> None:
    x, y = region(a), region(b)
    assert _points((x & y).boxes) == _points(a) & _points(b)
    assert _points((x - y).boxes) == _points(a) - _points(b)
    assert _points((x | y).boxes) == _points(a) | _points(b)
    assert x.same(region(reversed(a)))
    assert x.covers(x & y) and (x | y).covers(x)
    assert bool(x) == bool(_points(a))


@given(BOXES)
def test_boxes_of_a_set_never_overlap_and_merging_keeps_every_point(a: list[Box]) -> None:
    x = region(a)
    assert x.size() == len(_points(a))
    merged = x.merged()
    assert merged.same(x) and merged.size() == x.size() and len(merged.boxes) <= len(x.boxes)


def _answer(p: tuple[int, ...]) -> tuple[int, ...]:
    """The answer to one packet, said once more."""
    source, destination, protocol, sport, port = p
    if protocol in ANSWER_TYPES:
        return destination, source, protocol, sport, ANSWER_TYPES[protocol].get(port, port)
    return destination, source, protocol, port, sport


@given(
    st.lists(st.tuples(*[_interval()] * 2, WIDE, *[WIDE] * 2), max_size=3),
    st.tuples(*[st.integers(0, 2)] * 2, ANY, ANY, ANY),
)
def test_answers_exchange_addresses_ports_and_icmp_types(a: list[Box], p: tuple[int, ...]) -> None:
    x = region(a)
    assert (p in x) == (_answer(p) in x.turned())
    assert x.turned().turned().same(x)


BORDER = st.sampled_from([V4_LAST - 1, V4_LAST, V6_FIRST, V6_FIRST + 1])


@given(st.lists(st.tuples(BORDER, BORDER).map(lambda p: (min(p), max(p))), max_size=4))
def test_the_two_families_touch_and_are_never_joined(found: list[tuple[int, int]]) -> None:
    apart = [i for i in found if (i[0] <= V4_LAST) == (i[1] <= V4_LAST)]
    out = joined(apart)
    assert all((low <= V4_LAST) == (high <= V4_LAST) for low, high in out)
    assert {n for low, high in out for n in range(low, high + 1)} == {n for a, b in apart for n in range(a, b + 1)}
    assert all(b[0] > a[1] + 1 or b[0] == V6_FIRST for a, b in itertools.pairwise(out))


@given(st.ip_addresses())
def test_addresses_of_both_families_lie_on_one_axis(address: object) -> None:
    assert address_text(address_number(str(address))) == str(address)
    assert addresses_text((address_number(str(address)),) * 2) == (f"{address}/{32 if '.' in str(address) else 128}",)


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("tcp/80", "tcp/80"),
        ("udp/500-520", "udp/500-520"),
        ("tcp", "tcp"),
        ("any", "any protocol"),
        ("50", "esp"),
        ("http", "tcp/80"),
        ("ESP", "esp"),
        ("97", "protocol 97"),
    ],
)
def test_services_are_read_and_written(text: str, says: str) -> None:
    ((protocol, port),) = service_of(text)
    assert service_text(protocol, port) == says


@pytest.mark.parametrize(
    "text",
    ["tcp/x", "300", "nonsense", "tcp/80-x", "tcp/90-20", "tcp/99999", "tcp/-1", "tcp/²", "gre/5", "icmp/256", "256"],
)
def test_what_is_no_service_is_refused(text: str) -> None:
    with pytest.raises(ValueError):
        service_of(text)


def test_ranges_and_words_for_them() -> None:
    ((low, high),) = interval_of("10.66.0.0-10.66.0.9")
    assert addresses_text((low, high)) == ("10.66.0.0/29", "10.66.0.8/31")
    assert interval_of("any")[0] == interval_of("0.0.0.0/0")[0]
    assert addresses_text(interval_of("2001:db8::/32")[0]) == ("2001:db8::/32",)
    assert addresses_text(EVERY[0]) == ("any",)


@pytest.mark.parametrize("text", ["10.0.0.9-10.0.0.1", "10.0.0.1-2001:db8::1", "10.0.0.0/33", "10.0.0", "a-b", "1-2-3"])
def test_what_is_no_range_is_refused_by_whoever_reads_it(text: str) -> None:
    """Backwards, of two families, or nothing at all: no set of negative size comes of it, and the sheet's reader says so."""
    with pytest.raises(ValueError):
        interval_of(text)
    assert spans([text]) == []
    sheet = read_sheet(f'site = "s"\n[[tunnel]]\nname = "t"\nlocal_ts = ["{text}"]\n')
    assert any("local_ts" in words for _, words in sheet.troubles)


@pytest.mark.parametrize(
    ("text", "length"), [("10.0.0.0/20", 20), ("10.0.0.1", 32), ("::/0", 0), ("2001:db8::/32", 32), ("::1", 128)]
)
def test_a_prefix_has_the_length_of_its_own_family(text: str, length: int) -> None:
    assert prefix_of(text).length == length
    assert as_prefix(prefix_of(text).interval) == prefix_of(text)


@pytest.mark.parametrize("text", ["10.0.0.1-10.0.0.2", "10.0.0.0-10.0.0.2"])
def test_a_range_that_is_no_network_is_no_prefix(text: str) -> None:
    assert as_prefix(interval_of(text)[0]) is None
