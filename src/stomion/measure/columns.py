"""Questions to a whole column of readings. A long one is asked at once (numpy), as a day of a thousand tunnels by the minute has millions
of rows; a short one is asked row by row, which is done before numpy is even loaded."""

from __future__ import annotations

from array import array
from collections.abc import Iterator, Sequence
from itertools import islice, pairwise
from operator import eq, le
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from numpy.typing import NDArray

LONG = 256
"""Rows from which on a column is asked at once."""


def never_falls(column: Sequence[float]) -> bool:
    """Is every row as high as the one before it, or higher?"""
    rows = _at_once(column)
    if rows is None:
        return all(map(le, column, islice(column, 1, None)))
    return bool((rows[1:] >= rows[:-1]).all())


def stands_anywhere(column: Sequence[float]) -> bool:
    """Is any row as high as the one before it?"""
    rows = _at_once(column)
    if rows is None:
        return any(map(eq, column, islice(column, 1, None)))
    return bool((rows[1:] == rows[:-1]).any())


def highest(column: Sequence[int]) -> int:
    """The highest row of a column with at least one."""
    rows = _at_once(column)
    return max(column) if rows is None else int(rows.max())


def parted(numbers: array[int], columns: Sequence[array[Any]]) -> Iterator[tuple[int, list[array[Any]]]]:
    """(number, its rows of every column) of every number that stands in `numbers`, which has one for each row. Rows keep their order; an
    empty column stays empty."""
    known = _at_once(numbers)
    if known is None:
        yield from _parted_row_by_row(numbers, columns)
        return
    import numpy as np

    order = np.argsort(known, kind="stable")
    ordered = known[order]
    begins = [0, *(np.flatnonzero(ordered[1:] != ordered[:-1]) + 1).tolist(), len(ordered)]
    # As bytes: a column is made of them faster than of rows.
    found = [(c.typecode, np.frombuffer(c, dtype=c.typecode)[order] if c else known[:0]) for c in columns]
    for begin, end in pairwise(begins):
        yield int(ordered[begin]), [array(code, rows[begin:end].tobytes()) for code, rows in found]


def _parted_row_by_row(numbers: Sequence[int], columns: Sequence[array[Any]]) -> Iterator[tuple[int, list[array[Any]]]]:
    rows: dict[int, list[int]] = {}
    for row, number in enumerate(numbers):
        rows.setdefault(number, []).append(row)
    for number, own in rows.items():
        yield number, [array(c.typecode, map(c.__getitem__, own) if c else ()) for c in columns]


def _at_once(column: Sequence[float]) -> NDArray[Any] | None:
    if len(column) < LONG or not isinstance(column, array):
        return None
    import numpy as np

    return np.frombuffer(column, dtype=column.typecode)
