"""Readers that take a file as a whole can be called off in the middle of it: they ask now and then whether they are to go on."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from threading import local
from types import FrameType
from typing import Any, TypeVar

EVERY = 4_096
"""Calls of functions between two looks; that many take some milliseconds."""

FEW = 256
"""Rows between two looks."""
Row = TypeVar("Row")


class _Asked(local):
    """Of each thread, as several may read at once."""

    check: Callable[[], None] | None = None


_asked = _Asked()


@contextmanager
def stoppable(check: Callable[[], None]) -> Iterator[None]:
    """While it lasts, what is read in this thread asks `check` from time to time; what it raises goes on from there."""
    _asked.check = check
    try:
        yield
    finally:
        _asked.check = None


def look() -> None:
    """Is the file to be read on? For loops over thousands of things, every thousand. Raises what was given to `stoppable` does."""
    if _asked.check is not None:
        _asked.check()


def steps(rows: Iterable[Row]) -> Iterator[Row]:
    """All rows, with a look before every few hundred."""
    for number, row in enumerate(rows):
        if not number % FEW:
            look()
        yield row


@contextmanager
def looking_at_calls() -> Iterator[None]:
    """For what can't be asked to look itself: a look every few thousand calls of functions. It takes up to three times as long then."""
    left = EVERY

    def count(_frame: FrameType, _event: str, _argument: Any) -> None:
        nonlocal left
        left -= 1
        if left <= 0:
            left = EVERY
            look()

    if _asked.check is None or sys.getprofile() is not None:
        yield
        return
    sys.setprofile(count)
    try:
        yield
    finally:
        sys.setprofile(None)
