"""Lines, heads and rows that carry their whole place behind any sign: `Tunnel NAME > IKE > Group: 14`, `[tunnel:NAME:ike]`, or
`tunnel,NAME,ike.group,14` in a table."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence

from stomion.shapes.nested import SEVERAL, Lines
from stomion.shapes.statement import MAX_DEPTH, MAX_STATEMENTS, Statement, keyed, statement

MOST = 0.7
"""Of a text's lines that must have a place of this kind."""
SIGNS = (" > ", " / ", " » ", " :: ", " | ", " \\ ", " -> ", "::", ":", "\\", ">", "|")
"""That may stand between the parts of a place, the widest first."""
_COLONS = re.compile(r"[A-Za-z_][\w-]{0,60}(?:(?:::|[:\\>|])[\w.-]{1,60}){1,12}\s*(?:=|:\s|\s)")
_KEY = re.compile(r"([^\s=:][^=:]{0,60})(?::=|=|:)(.*)")
_VALUES = frozenset({"value", "values", "content", "data"})
Place = tuple[str, ...]
"""The parts of a place, each as it stands in the text."""


def nested(entries: Iterable[tuple[int, Place, Statement]]) -> list[Statement]:
    """Statements within the parts of their places; a part that is a number alone is a block without a name."""
    top = Statement((), 0)
    known: dict[Place, Statement] = {}
    for number, place, one in entries:
        here = top
        for length in range(1, min(len(place), MAX_DEPTH) + 1):
            part = place[:length]
            if part not in known:
                words = () if part[-1].isdecimal() else statement(part[-1], number).words
                known[part] = Statement(words, number)
                here.kids.append(known[part])
            here = known[part]
        here.kids.append(one)
    return top.kids


def pathed(lines: Lines) -> list[Statement] | None:
    """Blocks by the places before each key; None where the text has none."""
    told = [(number, line.strip()) for number, line in lines if line.strip()]
    for sign in SIGNS:
        found = [(number, place, line) for number, line in told if (place := _place(line, sign))]
        if len(found) < max(SEVERAL, MOST * len(told)) or len({p for _, p, _ in found}) * 3 > len(found) * 2:
            continue
        entries = []
        for number, line in told[:MAX_STATEMENTS]:
            place = _place(line, sign)
            rest = sign.join(line.split(sign)[len(place) :]) if " " in sign else _rest(line, sign)
            entries.append((number, place, _keyed(rest, number)))
        return nested(entries)
    return None


def _place(line: str, sign: str) -> Place:
    """The parts before a line's key; empty where it has none."""
    if " " not in sign:
        m = _COLONS.match(line)
        return tuple(m[0].rstrip(" =:").split(sign))[:-1] if m is not None and sign in m[0].rstrip(" =:") else ()
    *place, last = line.split(sign)
    key = next((n for n, part in enumerate(place) if _KEY.match(part)), len(place))
    place = place[:key]
    return tuple(place) if place and all(re.match(r"[A-Za-z]", part) for part in place) and last else ()


def _rest(line: str, sign: str) -> str:
    """A line from its key on."""
    m = _COLONS.match(line)
    if m is None:
        return line
    name = m[0].rstrip(" =:")
    return name.rpartition(sign)[2] + line[len(name) :]


def _keyed(text: str, number: int) -> Statement:
    m = _KEY.fullmatch(text)
    return keyed(statement(m[1], number).words, m[2], number) if m is not None else statement(text, number)


def long_table(heads: Sequence[str], rows: Sequence[tuple[int, list[str]]]) -> list[Statement]:
    """Rows of which each tells one value: its place in the first columns, its key in the last but one. Nothing for another table."""
    if len(heads) < len(("place", "key", "value")) or heads[-1].lower() not in _VALUES:
        return []
    entries = []
    for number, cells in rows:
        *place, key, value = cells
        parts = [part for part in place if part and part != "-"]
        *more, key = re.split(r"[./>]\s*", key) if re.search(r"\w[./>]\s*\w", key) else [key]
        entries.append((number, (*parts, *more), keyed(statement(key, number).words, value, number)))
    return nested(entries)


MOST_OF_A_HEAD = 12
"""Words of a head that other heads may begin with."""


def under_names(top: list[Statement]) -> list[Statement]:
    """Blocks whose head begins with the whole head of one before stand below that: `Tunnel NAME`, then `Tunnel NAME, IKE proposal`."""
    out: list[Statement] = []
    known: dict[Place, Statement] = {}
    for one in top:
        longest = min(len(one.words) - 1, MOST_OF_A_HEAD) if one.kids else 0
        length = next((n for n in range(longest, 1, -1) if one.words[:n] in known), 0)
        if length:
            known[one.words[:length]].kids.append(one.after(length))
        else:
            out.append(one)
        if one.kids and 1 < len(one.words) <= MOST_OF_A_HEAD:
            known[one.words] = one
    return out


def by_numbers(top: list[Statement]) -> list[Statement]:
    """Lines behind one another that begin alike up to a number, and go on with a key each, as one block: `set offer 1 cipher A`,
    `set offer 1 group B`."""
    out: list[Statement] = []
    at = 0
    while at < len(top):
        one = top[at]
        place = _numbered_at(one)
        head = one.words[: place + 1]
        group = [one]
        while place and at + len(group) < len(top):
            more = top[at + len(group)]
            if more.words[: place + 1] != head or _numbered_at(more) != place:
                break
            group.append(more)
        if len({each.words[place + 1] for each in group if place}) == len(group) > 1:
            out.append(Statement(head, one.line, [each.after(place + 1) for each in group]))
        else:
            out += group
        at += len(group)
    return out


def _numbered_at(one: Statement) -> int:
    """The place of the number behind a key, with another key and a value behind it; 0 where a line has none."""
    words = one.words if not one.kids else ()
    return next(
        (
            n
            for n in range(len(words) - 3, 0, -1)
            if words[n].isdecimal()
            and len(words[n]) < MOST_DIGITS
            and words[n - 1][:1].isalpha()
            and words[n + 1][:1].isalpha()
        ),
        0,
    )


MOST_DIGITS = 4
