"""Running sums over SAs that are renewed, reset and wrapped, and what is missing between two ends."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.measure.counters import WRAP, CounterReading, Readings, moved, rise
from stomion.measure.totals import passage, totals_of


def _row(at: float, sa: str, out: int, back: int = 0) -> CounterReading:
    return CounterReading(at, sa, out, back)


def test_a_renewed_sa_goes_on_where_the_old_one_stopped() -> None:
    found = totals_of(
        Readings.of([_row(0, "a", 100), _row(10, "a", 150), _row(20, "b", 30), _row(20, "a", 160), _row(30, "b", 50)])
    )
    assert [(p.at, p.out) for p in found.points] == [(0, 0), (10, 50), (20, 90), (30, 110)]
    assert (found.renewed, found.restarted) == ((20,), ())


@pytest.mark.parametrize(
    ("before", "after", "moved"), [(10, 25, 15), (10, 4, 4), (WRAP - 6, 4, 10), (WRAP // 2, 4, 4), (WRAP + 5, 3, 3)]
)
def test_a_count_that_fell(before: int, after: int, moved: int) -> None:
    assert rise(before, after) == moved


def test_a_wrap_within_a_window_is_no_restart() -> None:
    found = moved(Readings.of([_row(0, "a", WRAP - 6), _row(10, "a", 4)]))
    assert found is not None
    assert found.out == 10


def test_a_restart_is_told() -> None:
    found = totals_of(Readings.of([_row(0, "a", 100), _row(10, "a", 20)]))
    assert (found.sums[0], found.restarted) == (20, (10,))


def test_what_lies_between_two_readings_is_in_proportion() -> None:
    found = totals_of(Readings.of([_row(0, "a", 0), _row(10, "a", 100), _row(10, "a", 100)]))
    assert [found.at(t)[0] for t in (-5, 0, 2.5, 10, 99)] == [0, 0, 25, 100, 100]


@pytest.mark.parametrize(
    ("arrived", "late", "lost"),
    [(100, 0, 0), (80, 0, 20), (80, 1, 20), (93, 1, 0), (0, 0, 100)],
    ids=["all", "some", "some, read later", "no more than the moments explain", "none"],
)
def test_what_is_missing_beyond_the_moments_of_reading(arrived: int, late: int, lost: int) -> None:
    sender = totals_of(Readings.of([_row(0, "a", 0), _row(10, "a", 100)]))
    receiver = totals_of(Readings.of([CounterReading(0, "b", 0, 0), CounterReading(10 + late, "b", 0, arrived)]))
    found = passage(sender, receiver)
    assert found is not None
    assert (found.sent, found.arrived, found.doubt, found.lost) == (100, arrived, 10 * late, lost)


def test_one_reading_tells_no_difference() -> None:
    assert (
        passage(totals_of(Readings.of([_row(0, "a", 5)])), totals_of(Readings.of([_row(0, "b", 5), _row(9, "b", 7)])))
        is None
    )


@given(st.lists(st.tuples(st.integers(0, 50), st.sampled_from("abc"), st.integers(0, 10**6)), max_size=30))
def test_sums_never_fall(rows: list[tuple[int, str, int]]) -> None:
    found = totals_of(Readings.of([_row(at, sa, out, out // 2) for at, sa, out in rows]))
    assert all(a.at < b.at and a.out <= b.out and a.back <= b.back for a, b in pairwise(found.points))
