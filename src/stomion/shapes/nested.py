"""Texts that say by indentation what stands within what."""

from __future__ import annotations

import re

from stomion.shapes.statement import MAX_DEPTH, MAX_STATEMENTS, Statement, inline, keyed, statement, with_pairs

SEVERAL = 3
"""Lines of a shape from which on a text is taken to have it."""
ENDS = frozenset({"exit", "end", "next", "quit", "commit"})
_KEYED_ITEM = re.compile(r"- +(?:- |[\w.-]+:(?:\s|$))")
Lines = list[tuple[int, str]]
"""Each with its number."""
_CELLS = re.compile(r"\S+(?: \S+)*")
_GAP = re.compile(r"\S {2,}\S")


def _in_columns(lines: Lines, at: int) -> list[Statement]:
    """The rows under two heads that stand side by side: a label, and a value below each of them."""
    line = lines[at][1]
    heads = list(_CELLS.finditer(line))
    if len(heads) != len(("own", "far")) or any(re.search(r"[\d:=]", head[0]) for head in heads):
        return []
    rows: list[Statement] = []
    for number, row in lines[at + 1 :]:
        cells = list(_CELLS.finditer(row))
        starts = [cell.start() for cell in cells]
        if len(cells) != len(heads) + 1 or starts[1:] != [head.start() for head in heads] or starts[0] >= starts[1]:
            break
        kids = [
            keyed(statement(head[0], number).words, cell[0], number)
            for head, cell in zip(heads, cells[1:], strict=True)
        ]
        rows.append(Statement(statement(cells[0][0], number).words, number, kids))
    return rows


def indented(lines: Lines) -> list[Statement]:
    """Blocks of lines that stand deeper than the one before; `- ` begins an item of a list."""
    out: list[Statement] = []
    open_: list[tuple[int, Statement, bool]] = []
    past = 0
    for count, (number, line) in enumerate(lines):
        if count < past:
            continue
        if not line.strip() or _ends_block(line) or count > MAX_STATEMENTS:
            continue
        depth = len(line) - len(line.lstrip())
        body = line.lstrip()
        while open_ and _is_over(open_[-1], depth, body[:2] == "- "):
            open_.pop()
        item = body[:2] == "- "
        rows = _in_columns(lines, count) if _GAP.search(body) else []
        if rows:
            depth = len(lines[count + 1][1]) - len(lines[count + 1][1].lstrip())
            while open_ and _is_over(open_[-1], depth, False):
                open_.pop()
            _under(open_, out).extend(rows)
            past = count + 1 + len(rows)
            continue
        while body[:2] == "- ":
            if len(open_) >= MAX_DEPTH or not _KEYED_ITEM.match(body):
                body = body[2:].lstrip()
                break
            # An item that holds keys of its own is a block without a name.
            block = Statement((), number)
            _under(open_, out).append(block)
            open_.append((depth, block, True))
            rest = body[2:].lstrip()
            depth += len(body) - len(rest)
            body, item = rest, False
        found = inline(body, number) or with_pairs(body, number)
        if not found.words and not found.kids:
            continue
        _under(open_, out).append(found)
        if len(open_) < MAX_DEPTH:
            open_.append((depth, found, item))
    return out


def _ends_block(line: str) -> bool:
    """`end`, or `end tunnel`: what was open is told by the indentation."""
    words = line.lower().split()
    return words[0] in ENDS and len(words) <= len(("end", "tunnel"))


def _is_over(held: tuple[int, Statement, bool], depth: int, item: bool) -> bool:
    """Does a line end what stands open? An item may stand as deep as the key that it is under, but not within another item."""
    return held[0] > depth or (held[0] == depth and (not item or held[2]))


def _under(open_: list[tuple[int, Statement, bool]], out: list[Statement]) -> list[Statement]:
    return open_[-1][1].kids if open_ else out
