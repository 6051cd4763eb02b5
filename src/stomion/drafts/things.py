"""A thing that a configuration speaks of, before its statements are read."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from stomion.drafts import words as w
from stomion.shapes.statement import Statement

LISTS = frozenset({"route", "translation", "filter"})
HEAD = 4
"""Words of a statement among which its kind stands."""
MERGED = frozenset({"tunnel", "interface", "proposal", "network-group", "block"})
"""Kinds of which several lines or blocks may tell of the same one."""
ACTIONS = w.ALLOW | w.DROP | w.REJECT | w.HIDE | w.EXEMPT | {"snat", "dnat"}


@dataclass(slots=True)
class Thing:
    """`name` is empty where none stands beside the kind; `body` holds what is said of it, statement by statement. A `block` is of no
    known kind, and matters where others speak of it by its name."""

    kind: str
    name: str
    body: list[Statement]
    line: int
    label: str = ""
    """The word that told its kind."""

    def leaves(self) -> Iterator[tuple[tuple[str, ...], Statement]]:
        """(words above, statement) of all that is said of it; what stands beside the name of a block is a statement of its own."""
        yield from _leaves(self.body, ())


def _leaves(body: Sequence[Statement], above: tuple[str, ...]) -> Iterator[tuple[tuple[str, ...], Statement]]:
    for statement in body:
        if not statement.kids:
            yield above, statement
            continue
        values = any(map(w.is_value, statement.words)) or any(word.lower() in w.EVERYTHING for word in statement.words)
        if values:
            yield above, Statement(statement.words, statement.line, quoted=statement.quoted)
        keys = tuple(word for word in statement.words if not w.is_value(word)) if values else statement.words
        yield from _leaves(statement.kids, (*above, *keys))
