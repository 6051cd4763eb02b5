"""Sets of packets: the laws of sets, and the same answers as trying every point."""

from __future__ import annotations

from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.model.box import Box
from stomion.space.axis import address_number, address_text, addresses_text, interval_of
from stomion.space.boxes import EVERY, Region, region
from stomion.space.services import service_of, service_text

SIDE = 3
POINTS = list(product(range(SIDE), repeat=5))


def _interval() -> st.SearchStrategy[tuple[int, int]]:
    return st.tuples(st.integers(0, SIDE - 1), st.integers(0, SIDE - 1)).map(lambda p: (min(p), max(p)))


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
    assert x.turned().turned().same(x)


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


@pytest.mark.parametrize("text", ["tcp/x", "300", "nonsense", "tcp/80-x"])
def test_what_is_no_service_is_refused(text: str) -> None:
    with pytest.raises(ValueError):
        service_of(text)


def test_ranges_and_words_for_them() -> None:
    ((low, high),) = interval_of("10.66.0.0-10.66.0.9")
    assert addresses_text((low, high)) == ("10.66.0.0/29", "10.66.0.8/31")
    assert interval_of("any")[0] == interval_of("0.0.0.0/0")[0]
    assert addresses_text(interval_of("2001:db8::/32")[0]) == ("2001:db8::/32",)
    assert addresses_text(EVERY[0]) == ("any",)
