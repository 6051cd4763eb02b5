"""Tables on their side: a row for every key, a column for every thing."""

from __future__ import annotations

import re
from collections.abc import Sequence

from stomion.shapes.statement import Statement, keyed, statement

Rows = list[tuple[int, list[str]]]
"""The cells of each row, with its line."""
LEAST = 4
"""Rows below which no table is taken to lie on its side."""
_ADDRESS = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}(?:/\d{1,2})?\b")
_NUMBER = re.compile(r"v?\d{1,6}(?: ?[a-z]+)?", re.IGNORECASE)
_KEY = re.compile(r"[A-Za-z][\w()/. -]{0,60}")
NOTHING = frozenset(("", "-", "--", "n/a"))
"""Cells of a table that say nothing."""


def on_side(heads: Sequence[tuple[str, ...]], rows: Rows) -> list[Statement]:
    """A block for every column but the first, by its head; none where the table stands upright: its columns then hold values of a kind."""
    keys = [cells[0] for _, cells in rows]
    if len(rows) < LEAST or len(set(keys)) < len(keys) or not all(map(_KEY.fullmatch, keys)):
        return []
    columns = [[cells[n] for _, cells in rows if n < len(cells)] for n in range(1, len(heads))]
    if not columns or not all(map(_is_mixed, columns)):
        return []
    return [
        Statement(
            head,
            rows[0][0],
            [
                keyed(statement(cells[0], number).words, cells[place], number)
                for number, cells in rows
                if place < len(cells) and cells[place] not in NOTHING
            ],
        )
        for place, head in enumerate(heads[1:], 1)
    ]


def _is_mixed(column: Sequence[str]) -> bool:
    """Addresses, numbers and words below one another?"""
    told = [cell for cell in column if cell not in NOTHING]
    addresses = sum(_ADDRESS.match(cell) is not None for cell in told)
    numbers = sum(_NUMBER.fullmatch(cell) is not None for cell in told)
    return bool(addresses) and bool(numbers) and addresses + numbers < len(told)
