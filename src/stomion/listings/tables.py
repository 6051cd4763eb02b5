"""Tables of a listing: columns under one or two lines of names, most often with a rule beneath."""

from __future__ import annotations

import re

from stomion.listings.raw import Raw

KEYED = re.compile(r"^(?:[-*•|:] {0,3})?([A-Za-z#][\w /().#%-]{0,40}?)\s*(?:\.{2,}\s*:?|:(?=\s|$)|=|\s:\s)\s*(.*)$")
"""A line that is a key and its value, or a key that others stand under."""
RULE = re.compile(r"^[\s\-=+|_*─━═┄┼│┌┬┐├┤└┴┘╔╦╗╠╬╣╚╩╝║]{6,}$")
_CELL = re.compile(r"\S+(?: \S+)*")
COLUMNS = 3
"""Columns from which on a line may be a table's."""


def tables(lines: list[str]) -> list[Raw]:
    """Columns under one or two lines of names, most often with a rule beneath; a cell belongs to the name it stands under."""
    out: list[Raw] = []
    at = 0
    while at < len(lines):
        height = _header(lines, at)
        if not height:
            at += 1
            continue
        begin = at + height
        names = lines[at:begin]
        body = begin + 1 if begin < len(lines) and RULE.match(lines[begin]) else begin
        rows = []
        while body < len(lines) and len(_CELL.findall(lines[body])) > 1 and _width(lines[body]) >= COLUMNS:
            if not RULE.match(lines[body]):
                rows.append((body + 1, lines[body]))
            body += 1
        under = _under(lines[begin]) if begin < len(lines) else []
        bar = next((sign for sign in "│|" if names[0].count(sign) >= COLUMNS - 1), "")
        columns = [] if bar else _by_rule(names, under) or _columns(names, [line for _, line in rows])
        heads = (
            [" ".join(filter(None, column)) for column in zip(*(_cells(line, bar) for line in names), strict=False)]
            if bar
            else []
        )
        for number, line in rows:
            pairs = [(name, line[low:high].strip(" |│")) for name, low, high in columns]
            if bar:
                pairs = list(zip(heads, _cells(line, bar), strict=False))
            out.append(Raw(number, "", [(k, v) for k, v in pairs if v]))
        at = max(body, begin)
    return out


def _under(rule: str) -> list[int]:
    """Where each stroke of a rule begins that is parted by blanks, and so stands under one name; none for another line."""
    return [m.start() for m in _STROKES.finditer(rule)] if RULE.match(rule) and not set(rule) & set("+|│┼╬") else []


_STROKES = re.compile(r"(?<!\S)[-=─━═_]{2,}(?!\S)")


def _by_rule(names: list[str], under: list[int]) -> list[tuple[str, int, int]]:
    """(name, from, to) of every column that has a stroke of its own; none where a name stands across two."""
    if len(under) < COLUMNS or any(line[max(at - 1, 0) : at].strip() for line in names for at in under[1:]):
        return []
    ends = [*under[1:], MOST_WIDE]
    return [
        (" ".join(filter(None, (line[low:high].strip() for line in names))), low, high)
        for low, high in zip(under, ends, strict=True)
    ]


MOST_WIDE = 10_000


def _width(line: str) -> int:
    """How many cells a row may have."""
    bars = max(line.count("|"), line.count("│"))
    return max(bars - 1, len(re.split(r" {2,}|\t", line.strip(" |│"))))


def _cells(line: str, bar: str) -> list[str]:
    """What stands between bars."""
    return [cell.strip() for cell in line.strip().strip(bar).split(bar)]


def _header(lines: list[str], at: int) -> int:
    """How many lines of names a table begins with here; 0 where none does."""
    words = [
        len(re.split(r" {2,}|\t| *[|│] *", lines[n].strip(" |│"))) if n < len(lines) and lines[n].strip() else 0
        for n in (at, at + 1, at + 2)
    ]
    if RULE.match(lines[at]):
        return 0
    ruled = at + 1 < len(lines) and len(_under(lines[at + 1])) >= COLUMNS
    if words[0] < COLUMNS or (
        not ruled and any(ch.isdigit() for ch in re.sub(r"[A-Za-z]+\d|\d[A-Za-z]+", "", lines[at]))
    ):
        return 0
    if at + 1 < len(lines) and RULE.match(lines[at + 1]):
        return 1
    if at + 2 < len(lines) and RULE.match(lines[at + 2]) and words[1] > 1:
        return 2
    return (
        1
        if words[1] >= COLUMNS and any(ch.isdigit() for ch in lines[at + 1]) and not KEYED.match(lines[at].strip())
        else 0
    )


def _columns(names: list[str], rows: list[str]) -> list[tuple[str, int, int]]:
    """(name, from, to) of every column: gaps are where every line of the table has a blank."""
    width = max((len(line) for line in (*names, *rows)), default=0)
    lines = [line.ljust(width) for line in (*names, *rows)]
    blank = [all(line[n] in " |│\t" for line in lines) for n in range(width)]
    out: list[tuple[str, int, int]] = []
    start = None
    for n in range(width + 1):
        filled = n < width and not blank[n]
        if filled and start is None:
            start = n
        elif (
            not filled
            and start is not None
            and (
                n == width
                or n + 1 >= width
                or blank[n + 1]
                or any(line[n] in "|│" for line in lines)
                or _apart(rows, n)
            )
        ):
            name = " ".join(line[start:n].strip(" |│") for line in names if line[start:n].strip(" |│"))
            if name or not out:
                out.append((name, start, n))
            else:
                # A blank within the values of the column before.
                out[-1] = (out[-1][0], out[-1][1], n)
            start = None
    return out


def _apart(rows: list[str], at: int) -> bool:
    """One blank between two columns of values alone."""
    return all(len(row) <= at or row[at] == " " for row in rows)
