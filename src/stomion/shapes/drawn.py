"""Lines whose place is drawn or written before them, brought to a form that is read elsewhere: a tree of strokes to indentation, names
that count their blocks (`TUNNEL_2_PEER`) to names with dots."""

from __future__ import annotations

import re

from stomion.shapes.nested import SEVERAL, Lines

MOST = 0.6
"""Of a text's lines that must be of such a form."""
_STROKES = re.compile(r"[|│┃: ]{0,120}[|`+\\├└╰┣┗]?[-─━]{1,3}[ ╴]")
_COUNTING = re.compile(
    r"\s*(?:(?:export|set|let|declare)\s+)?([A-Za-z]+\d{0,3}(?:[_-][A-Za-z0-9]+)+)\s*(?:=|:=|:)\s*(\S.*)?"
)
_NUMBER = re.compile(r"[_-](\d{1,4})(?:[_-]|$)")
_FIRST = re.compile(r"^([A-Za-z]+)(\d{1,3})[_-]")


def without_drawing(lines: Lines) -> Lines:
    """A tree's strokes replaced by blanks."""
    drawn = {number: m for number, line in lines if (m := _STROKES.match(line)) and m[0].strip(" -")}
    told = sum(bool(line.strip()) for _, line in lines)
    if len(drawn) < max(SEVERAL, MOST * told):
        return lines
    return [
        (number, " " * len(drawn[number][0]) + line[len(drawn[number][0]) :] if number in drawn else line)
        for number, line in lines
    ]


def with_dots(lines: Lines) -> Lines:
    """Names that hold the numbers of their blocks, with dots between the blocks; the lines as they are where the text has none."""
    told = [line for _, line in lines if line.strip()]
    found = [m for line in told if (m := _COUNTING.fullmatch(line))]
    counted = sum(_NUMBER.search(m[1]) is not None or _FIRST.match(m[1]) is not None for m in found)
    if len(found) < max(SEVERAL, MOST * len(told)) or counted * 2 < len(found):
        return lines
    return [
        (number, f"{_path(m[1])} = {m[2] or ''}" if (m := _COUNTING.fullmatch(line)) else line)
        for number, line in lines
    ]


def _path(name: str) -> str:
    path = _NUMBER.sub(r".\1.", _FIRST.sub(r"\1.\2.", name)).rstrip(".")
    return path if "." in path else re.sub(r"[_-]", ".", path, count=1)
