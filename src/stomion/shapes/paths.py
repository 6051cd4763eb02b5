"""Lines that each carry their whole place: numbers of an outline (`3.1.2`), or names with dots or strokes between (`vpn[0].peer`)."""

from __future__ import annotations

import re

from stomion.shapes.nested import Lines
from stomion.shapes.statement import MAX_DEPTH, MAX_STATEMENTS, Statement, keyed, statement

MOST = 0.6
"""Of a text's lines that must have such a place, before it is read by them."""
SEVERAL = 3
"""Names without which a text is no list of them."""
_NUMBERED = re.compile(r"\s*(\d{1,4}(?:\.\d{1,4}){0,12})[.)]?\s+(?![.=:])(\S.*)")
_LEADER = re.compile(r"\s*(?:\.{3,}|(?:\. ){3,}|_{3,}|-{3,})\s*|\s*:\s+")
_NAMED = re.compile(r"\s*/?([A-Za-z_][\w-]{0,60}(?:\[[\w.-]{1,40}\]|[./][\w-]{1,60}){1,16})\s*(?::=|=>|[=:]|\s)\s*(.*)")
_SEGMENT = re.compile(r"\[([^\]]*)\]|([\w-]+)")


def outlined(lines: Lines) -> list[Statement] | None:
    """Blocks by the numbers before the lines; None where the text has none."""
    found = [(number, m[1].split("."), m[2]) for number, line in lines if (m := _NUMBERED.match(line))]
    if len(found) < MOST * _told(lines) or sum(len(place) > 1 for _, place, _ in found) < MOST * len(found):
        return None
    top = Statement((), 0)
    open_: list[tuple[list[str], Statement]] = []
    for number, place, text in found[:MAX_STATEMENTS]:
        while open_ and place[: len(open_[-1][0])] != open_[-1][0]:
            open_.pop()
        key, sign, value = _with_sign(text)
        one = keyed(statement(key, number).words, value, number) if sign else statement(text, number)
        (open_[-1][1] if open_ else top).kids.append(one)
        if len(open_) < MAX_DEPTH:
            open_.append((place, one))
    return top.kids


def _with_sign(text: str) -> tuple[str, str, str]:
    parts = _LEADER.split(text, maxsplit=1)
    return (parts[0], ".", parts[1]) if len(parts) > 1 else (text, "", "")


def _told(lines: Lines) -> int:
    return sum(bool(line.strip()) for _, line in lines)


def dotted(lines: Lines) -> list[Statement] | None:
    """Blocks by the names that lead to each value; numbers among them, or in brackets, count blocks without a name. None where the text
    has none."""
    found = [(number, m) for number, line in lines if (m := _NAMED.match(line)) and not _is_address(m[1])]
    if len(found) < MOST * _told(lines) or len({m[1] for _, m in found}) < SEVERAL:
        return None
    top = Statement((), 0)
    known: dict[tuple[str, ...], Statement] = {}
    for number, m in found[:MAX_STATEMENTS]:
        segments = [(a or b, bool(a) or b.isdecimal()) for a, b in _SEGMENT.findall(m[1])][:MAX_DEPTH]
        while len(segments) > 1 and segments[-1][1] and segments[-1][0].isdecimal():
            # A number behind the last name counts that name's values.
            segments.pop()
        here = top
        path: tuple[str, ...] = ()
        for name, counts in segments[:-1]:
            path = (*path, name)
            if path not in known:
                known[path] = Statement(() if counts and name.isdecimal() else (name,), number)
                here.kids.append(known[path])
            here = known[path]
        here.kids.append(keyed((segments[-1][0],), m[2], number))
    return top.kids


def _is_address(path: str) -> bool:
    return re.fullmatch(r"[\d./]+", path) is not None
