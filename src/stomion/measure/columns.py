"""Questions to a whole column of readings. A long one is asked at once (numpy), as a day of a thousand tunnels by the minute has millions
of rows; a short one is asked row by row, which is done before numpy is even loaded."""

from __future__ import annotations

from array import array
from collections.abc import Sequence
from itertools import islice
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


def _at_once(column: Sequence[float]) -> NDArray[Any] | None:
    if len(column) < LONG or not isinstance(column, array):
        return None
    import numpy as np

    return np.frombuffer(column, dtype=column.typecode)
