"""Lines that were cut at a terminal's or a mail's width: what has no time of its own goes on where the long line before it ends."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

import msgspec

from stomion.logs.timestamps import find_stamp

_NARROWEST, _WIDEST = 60, 250
_RAGGED = 16
"""Characters that a line may be shorter than the width where it is broken between two words."""
_MOST_OF = 0.8
_LEAST = 3
_TERMINALS = (72, 76, 78, 80, 100, 120, 128, 132, 160, 200)
"""Widths at which one cut line is enough to tell."""
_PIECES = 64
"""Of one line."""


class Wrap(msgspec.Struct, frozen=True):
    """The width at which lines are cut, and whether they are so in the midst of words."""

    width: int
    hard: bool


def wrap_of(lines: Sequence[str]) -> Wrap | None:
    """How the lines of a log are cut; None where they are whole."""
    width = max(map(len, lines), default=0)
    if not _NARROWEST <= width <= _WIDEST:
        return None
    pairs = [(last, line, _is_dated(line)) for last, line in pairwise(lines) if line.strip()]
    for ragged in (0, _RAGGED):
        full = [dated for last, _, dated in pairs if len(last) >= width - ragged]
        rest = [dated for last, _, dated in pairs if len(last) < width - ragged]
        cut = full.count(False)
        dated = full.count(True) + rest.count(True)
        enough = 1 if not ragged and width in _TERMINALS else _LEAST
        if dated < _LEAST:
            # Lines without times may all be of one width: a table, a listing.
            return None
        if cut >= enough and cut >= _MOST_OF * len(full) and rest.count(True) >= _MOST_OF * len(rest):
            return Wrap(width, hard=not ragged)
    return None


def unwrapped(rows: Iterable[tuple[int, str]], wrap: Wrap) -> Iterator[tuple[int, str]]:
    """Whole lines, with the number of their first piece."""
    held: list[str] = []
    number = 0
    for at, line in rows:
        goes_on = held and len(held) < _PIECES and len(held[-1]) > wrap.width - (1 if wrap.hard else _RAGGED)
        if goes_on and line.strip() and not _is_dated(line):
            held.append(line)
            continue
        if held:
            yield number, _whole(held, wrap)
        held, number = [line], at
    if held:
        yield number, _whole(held, wrap)


def _whole(pieces: Sequence[str], wrap: Wrap) -> str:
    # An indent of the pieces is the wrapping's own.
    first, *rest = pieces
    indent = min((len(p) - len(p.lstrip(" ")) for p in rest), default=0)
    return ("" if wrap.hard else " ").join([first, *(p[indent if wrap.hard and indent > 1 else 0 :] for p in rest)])


def _is_dated(line: str) -> bool:
    return find_stamp(line, year=1970) is not None
