"""Long columns are asked at once and short ones row by row: both give the same answer."""

from array import array
from itertools import pairwise

from hypothesis import given
from hypothesis import strategies as st

from stomion.measure.columns import LONG, highest, never_falls, parted, stands_anywhere

COLUMNS = st.lists(st.integers(0, (1 << 63) - 1), min_size=1, max_size=8)


@given(COLUMNS)
def test_a_long_column_is_judged_as_a_short_one(rows: list[int]) -> None:
    rising = sorted(set(rows))
    for column in (rows, rising):
        ahead = list(range(-LONG, 0))
        long = array("q", ahead + column)
        assert never_falls(long) == never_falls(column) == (sorted(column) == column)
        assert stands_anywhere(long) == stands_anywhere(column) == any(a == b for a, b in pairwise(column))
        assert highest(long) == highest(column) == max(column)


@given(st.lists(st.floats(allow_nan=False, min_value=0), min_size=1, max_size=8))
def test_moments_are_judged_alike(rows: list[float]) -> None:
    long = array("d", [float("-inf")] * LONG + rows)
    assert never_falls(long) == never_falls(rows) == (sorted(rows) == rows)


def test_one_reading_never_falls() -> None:
    assert never_falls(array("q", [4]))
    assert not stands_anywhere(array("q", [4]))


@given(st.lists(st.integers(0, 4), max_size=12), st.booleans())
def test_rows_are_parted_by_their_numbers_and_keep_their_order(numbers: list[int], long: bool) -> None:
    ahead = [5] * LONG if long else []
    owners = array("q", ahead + numbers)
    places, halves = array("q", range(len(owners))), array("d", [row / 2 for row in range(len(owners))])
    found = dict(parted(owners, (places, halves, array("q"))))
    assert {number: list(rows) for number, (rows, _, _) in found.items()} == {
        number: [row for row, owner in enumerate(owners) if owner == number] for number in set(owners)
    }
    assert all(list(half) == [row / 2 for row in rows] and not empty for rows, half, empty in found.values())
