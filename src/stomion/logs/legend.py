"""Logs that tell what happened by a code, and list at their beginning what every code means."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass

from stomion.logs.timestamps import find_stamp

_MEANING = re.compile(
    r"[\s#;*/|-]{0,6}(?:code\s)?([A-Z]{0,4}[-_]?\d{1,5})\s{0,4}(?:[=:)|-]\s{0,4}|\s)([A-Za-z][^\d=]{2,80})$",
    re.IGNORECASE,
)
_COLUMN = re.compile(r"[^\s|;,]+")
LEAST = 5
"""Codes of a list, at least."""
MOST_OF = 0.8
"""Of the lines below it those that have one of its codes in the same place, at least."""
COLUMNS = 12


@dataclass(frozen=True, slots=True)
class Legend:
    """What codes mean, the column of a line that a code stands in, and the last line of the list."""

    meanings: dict[str, str]
    column: int
    ends: int

    def told(self, line: str) -> str:
        """A line with the meaning of its code after it."""
        column = next((m for n, m in enumerate(_COLUMN.finditer(line)) if n == self.column), None)
        meaning = self.meanings.get(column[0]) if column is not None else None
        if column is None or meaning is None:
            return line
        return f"{line[: column.end()]} {meaning}{line[column.end() :]}"


def legend_of(lines: Sequence[str]) -> Legend | None:
    """The list of codes that a log begins with; None where it has none. `lines` are its first ones."""
    meanings: dict[str, str] = {}
    ends = 0
    for number, line in enumerate(lines, 1):
        found = _MEANING.match(line)
        if found is not None:
            meanings[found[1]] = found[2].strip()
            ends = number
        elif find_stamp(line, year=1970) is not None:
            break
    if len(meanings) < LEAST:
        return None
    below = [line for line in lines[ends:] if line.strip()]
    columns = Counter(
        n for line in below for n, m in zip(range(COLUMNS), _COLUMN.finditer(line), strict=False) if m[0] in meanings
    )
    column, lines_with = columns.most_common(1)[0] if columns else (0, 0)
    return Legend(meanings, column, ends) if lines_with and lines_with >= MOST_OF * len(below) else None


def explained(rows: Iterable[tuple[int, str]], legend: Legend) -> Iterator[tuple[int, str]]:
    """The lines below a list of codes, each with what its code means."""
    return ((number, legend.told(text)) for number, text in rows if number > legend.ends)
