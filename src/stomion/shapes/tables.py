"""Tables in a configuration: every row a block without a name, whose keys are the heads of the columns."""

from __future__ import annotations

import re
from collections.abc import Callable

from stomion.shapes.nested import Lines
from stomion.shapes.onside import NOTHING, Rows, on_side
from stomion.shapes.pathed import long_table
from stomion.shapes.statement import MAX_STATEMENTS, Statement, keyed, statement

MOST_WORDS = 3
"""Of a column's head."""
COLUMNS = 3
"""From which number on cells beside one another are a table."""
_RULE = re.compile(r"[\s|+=-]*[-=]{2,}[\s|+=-]*")
TABLE = ("table",)
"""Above a table that has no title."""
Cut = Callable[[str], list[str] | None]
"""A line's cells; None where it is no row."""


def tabled(lines: Lines) -> tuple[list[Statement], Lines]:
    """(tables, each under the words of the line above it; the lines that are of none)."""
    out: list[Statement] = []
    rest: Lines = []
    at = 0
    while at < len(lines):
        cut, begin = _head(lines, at)
        rows: Rows = []
        first: list[str] = []
        if cut is not None:
            first = cut(lines[at][1]) or []
            heads = [statement(cell, 0).words for cell in first]
            end = begin
            while end < len(lines) and len(out) + len(rows) < MAX_STATEMENTS:
                number, line = lines[end]
                cells = None if not line.strip() else cut(line)
                if cells is None and not _RULE.fullmatch(line.strip() or "x"):
                    break
                if cells is not None and not _RULE.fullmatch(line):
                    rows.append((number, cells))
                end += 1
        if rows:
            title = statement(rest.pop()[1], 0).words if rest and rest[-1][1].strip() else ()
            long = _long(first, lines[at][0], rows)
            if long and not title:
                out += long
            else:
                blocks = long or on_side(heads, rows) or [_row(heads, cells, number) for number, cells in rows]
                out.append(Statement(title or TABLE, lines[at][0], blocks))
            at = end
            continue
        if not _RULE.fullmatch(lines[at][1]):
            rest.append(lines[at])
        at += 1
    return out, rest


def _long(first: list[str], number: int, rows: Rows) -> list[Statement]:
    """A table of places, keys and values, with heads or without any: the first row is then one like the others."""
    if len(first) >= COLUMNS and first[0] == rows[0][1][0] and first[:-1] != rows[0][1][:-1]:
        return long_table([*first[:-1], "value"], [(number, first), *rows])
    return long_table(first, rows)


def _row(heads: list[tuple[str, ...]], cells: list[str], number: int) -> Statement:
    """A block; with nothing above the first column its cells say what the others are of."""
    if heads and not heads[0] and cells[0]:
        return Statement(statement(cells[0], number).words, number, _row(heads[1:], cells[1:], number).kids)
    kids = [keyed(head, cell, number) for head, cell in zip(heads, cells, strict=False) if head and cell not in NOTHING]
    return Statement((), number, kids)


def _head(lines: Lines, at: int) -> tuple[Cut | None, int]:
    """How the rows below a line are cut, if it is the head of a table, and where they begin."""
    line = lines[at][1]
    below = next((n for n in range(at + 1, min(at + 3, len(lines))) if lines[n][1].strip()), len(lines))
    if below == len(lines) or not _is_head(line):
        return None, 0
    ruled = _RULE.fullmatch(lines[below][1]) is not None
    for sign in ("|", "\t", ";", ","):
        cells = _by_sign(line, sign)
        least = COLUMNS - 1 if sign == "|" and ruled and line.lstrip()[:1] == "|" else COLUMNS
        if len(cells) >= least and all(map(_is_title, cells[1:] if sign == "|" and not cells[0] else cells)):
            return _same(sign, len(cells)), below
    starts = [m.start() for m in re.finditer(r"(?<!\S)\S(?:\S| (?! ))*", line)]
    if len(starts) >= COLUMNS and ruled:
        return _at(starts), below + 1
    return None, 0


def _is_head(line: str) -> bool:
    """Words alone: no address, no sign of a value."""
    return bool(re.search(r"[A-Za-z]{2}", line)) and not re.search(r"\d{1,3}\.\d{1,3}\.|[={}\"]|://", line)


def _is_title(cell: str) -> bool:
    """Can it head a column: few words, none of which is a value?"""
    return 0 < len(cell.split()) <= MOST_WORDS and re.search(r"\d\d|[.:]$", cell) is None


def _by_sign(line: str, sign: str) -> list[str]:
    inner = line.strip().strip("|") if sign == "|" else line.strip(" ")
    return [cell.strip() for cell in _outside_quotes(inner, sign)]


def _outside_quotes(line: str, sign: str) -> list[str]:
    if '"' not in line:
        return line.split(sign)
    parts = re.findall(rf"(?:\"[^\"]*\"|[^\"{re.escape(sign)}]|\")*(?:{re.escape(sign)}|$)", line)
    return [part.removesuffix(sign).strip().removeprefix('"').removesuffix('"') for part in parts[:-1] or parts]


def _same(sign: str, count: int) -> Cut:
    def cut(line: str) -> list[str] | None:
        cells = _by_sign(line, sign)
        return cells if len(cells) == count else None

    return cut


def _at(starts: list[int]) -> Cut:
    """Cells that begin where those of the head do."""

    def cut(line: str) -> list[str] | None:
        if any(at and at < len(line) and not line[at - 1].isspace() for at in starts[1:]):
            return None
        return [line[a:b].strip() for a, b in zip(starts, [*starts[1:], None], strict=True)]

    return cut
