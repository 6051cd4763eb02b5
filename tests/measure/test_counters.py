"""Deltas of counters that survive rekeys, restarts and missing readings."""

from __future__ import annotations

from collections.abc import Sequence

from hypothesis import given
from hypothesis import strategies as st

from stomion.measure.counters import CounterReading, Moved, Readings
from stomion.measure.counters import moved as moved_of


def moved(rows: Sequence[CounterReading], since: float | None = None, until: float | None = None) -> Moved | None:
    return moved_of(Readings.of(rows), since, until)


def _r(at: float, out: int, back: int, sa: str = "a", **more: int) -> CounterReading:
    return CounterReading(at, sa, out, back, **more)


def test_one_reading_moves_nothing() -> None:
    assert moved([]) is None and moved([_r(0, 5, 5)]) is None
    # Two SAs with one reading each: neither tells how far it moved.
    assert moved([_r(0, 5, 5), _r(9, 1, 1, "b")]) is None


def test_what_moved_between_two_readings() -> None:
    found = moved([_r(0, 100, 50), _r(60, 120, 50, replay=7, integrity=2)])
    assert found is not None
    assert (found.since, found.until, found.out, found.back, found.replay, found.integrity) == (0, 60, 20, 0, 7, 2)
    assert found.last_back is None


def test_a_count_that_falls_began_anew() -> None:
    found = moved([_r(0, 100, 100), _r(60, 5, 3), _r(120, 9, 3)])
    assert found is not None and (found.out, found.back, found.last_back) == (9, 3, 60)


def test_each_sa_is_counted_by_itself_and_all_are_added() -> None:
    rows = [_r(0, 100, 100), _r(60, 110, 100), _r(60, 0, 0, "b"), _r(120, 7, 6, "b"), _r(120, 110, 100)]
    found = moved(rows)
    assert found is not None and (found.out, found.back, found.last_back) == (17, 6, 120)


def test_a_window_takes_the_readings_that_enclose_it() -> None:
    rows = [_r(n * 10, n * n, n) for n in range(10)]
    found = moved(rows, 25, 41)
    assert found is not None and (found.since, found.until, found.out, found.back) == (20, 50, 21, 3)
    whole = moved(rows, -5, 500)
    assert whole is not None and (whole.since, whole.until, whole.out) == (0, 90, 81)


@given(st.lists(st.tuples(st.integers(0, 50), st.integers(0, 50)), min_size=2, max_size=12), st.randoms())
def test_counts_that_only_rise_add_up_whatever_the_order(steps: list[tuple[int, int]], chance: object) -> None:
    out = back = 0
    rows = []
    for n, (a, b) in enumerate(steps):
        out, back = out + a, back + b
        rows.append(_r(n, out, back))
    first, last = rows[0], rows[-1]
    chance.shuffle(rows)  # type: ignore[attr-defined]
    found = moved(rows)
    assert found is not None and (found.out, found.back) == (last.out - first.out, last.back - first.back)
