"""Names that a text gives to values and uses behind a sign: `lan = 192.0.2.0/24`, then `from $lan`; and lines that go on below."""

from __future__ import annotations

import re
from collections.abc import Callable

from stomion.shapes.nested import Lines

_USED = re.compile(r"(?<![\w$@%.])(?:\$\{?([A-Za-z_][\w-]{0,40})\}?|%([A-Za-z_][\w-]{0,40})%)(?![\w@.-])")
_GIVEN = re.compile(
    r"\s*(?:(?:set|define|let|var|alias|const|macro)\s+)?\$?([A-Za-z_][\w-]{0,40})\s*(?::=|=|:|\s)\s*(\S.*?)[\s;]*"
)
MOST = 200
"""Characters of a value that a name may stand for."""
LONGEST = 4_000
"""Of a line with its names replaced."""
DEEP = 3
"""Names that stand for names."""


def without_names(lines: Lines) -> Lines:
    """Every used name replaced by its value, where one line alone gives it; else the name without its sign, as what it names is a block."""
    used = {m[1] or m[2] for _, line in lines for m in _USED.finditer(line, _depth(line) + 1)}
    if not used:
        return lines
    given: dict[str, str] = {}
    giving: set[int] = set()
    for number, line in lines:
        m = _GIVEN.fullmatch(line)
        if m is not None and m[1] in used and m[1] not in given and len(m[2]) <= MOST and m[2][-1:] != "{":
            given[m[1]] = m[2].strip("\"'")
            giving.add(number)

    def put(m: re.Match[str]) -> str:
        return given.get(m[1] or m[2], m[1] or m[2])

    for _ in range(DEEP):
        longer = {name: _USED.sub(put, value) for name, value in given.items()}
        given = {name: value if len(value) <= MOST else given[name] for name, value in longer.items()}
    return [(number, "" if number in giving else _put(line, put)) for number, line in lines]


def _put(line: str, put: Callable[[re.Match[str]], str]) -> str:
    """A sign at the head of a line is no name's."""
    begin = _depth(line) + 1
    return line if len(line) > LONGEST else (line[:begin] + _USED.sub(put, line[begin:]))[:LONGEST]


def without_breaks(lines: Lines) -> Lines:
    """A line that ends in a stroke goes on in the next: what stands deeper stays a line below it, anything else is put behind it."""
    out: Lines = []
    begun: int | None = None
    """How deep the first of the lines that go on stands."""
    for number, line in lines:
        told = line.rstrip()
        more = told.endswith("\\")
        told = told[:-1].rstrip() if more else line
        if begun is not None and told.strip() and _depth(told) <= begun and len(out[-1][1]) < LONGEST:
            out[-1] = (out[-1][0], f"{out[-1][1]} {told.strip()}")
        else:
            out.append((number, told))
        begun = None if not more else _depth(told) if begun is None else begun
    return out


def _depth(line: str) -> int:
    return len(line) - len(line.lstrip())
