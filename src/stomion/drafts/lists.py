"""Lists of packets that a tunnel or a translation speaks of by name: what the tunnel carries, and what is translated or is not."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from stomion.drafts import words as w
from stomion.drafts.things import Thing
from stomion.shapes.statement import Statement

_DENIES = w.DROP | w.REJECT
_ACTS = w.ALLOW | _DENIES
_TWO = ("source", "destination")
MOST = 20_000
"""Rows of lists that are put in the place of a name, in all of a text."""
Row = tuple[bool, tuple[str, ...], tuple[str, ...], int]
"""Of a list: does it take packets, from where, to where, and its line."""


def with_lists(things: Sequence[Thing]) -> list[Thing]:
    """The things with the rows of each such list in the place of its name; a list that is so spoken of filters nothing itself."""
    spoken = {
        word
        for thing in things
        if thing.kind in ("tunnel", "translation")
        for _, one in thing.leaves()
        if _may_speak(one)
        for word in one.words
        if not w.is_value(word)
    }
    lists: dict[str, list[Row]] = {}
    of: dict[int, str] = {}
    for thing in things:
        name, lines = _named(thing)
        rows = [row for line in lines if (row := _row(line)) is not None] if name in spoken else []
        if rows and len(rows) == len(lines):
            lists.setdefault(name, []).extend(rows)
            of[id(thing)] = name
    out: list[Thing] = []
    left = MOST
    for thing in things:
        if id(thing) in of:
            continue
        named = {word for _, one in thing.leaves() for word in one.words if word in lists} if lists else set()
        many = sum(len(lists[name]) for name in named)
        if many > left:
            # Lists in lists' places could double without end.
            out.append(thing)
            continue
        left -= many
        if thing.kind == "tunnel":
            thing.body = [_carried(one, lists) for one in thing.body]
        out += _translated(thing, lists) if thing.kind == "translation" else [thing]
    return out


_PROSE = w.NAME | {"descr", "description", "desc", "comment", "remark", "note", "text", "info"}


def _may_speak(one: Statement) -> bool:
    """Is a line no name and no remark, in which any word may stand?"""
    return not w.bag(one.words[:1]) & _PROSE


def _named(thing: Thing) -> tuple[str, list[Statement]]:
    """What a list is called, with its lines; an empty name for what is none."""
    if thing.kind == "block":
        return thing.name, [one for one in thing.body if one.words]
    first = thing.body[0] if thing.kind == "filter" and len(thing.body) == 1 else None
    if first is None or first.kids or first.words[:1] == () or first.words[0].lower() in w.VOCABULARY:
        return "", []
    return first.words[0], [first.after(1)]


def _row(line: Statement) -> Row | None:
    """A line that takes or passes over the packets from one network to another; None for any other line."""
    acts = [word.lower() in w.ALLOW for word in line.words if word.lower() in _ACTS]
    ends = list(_ends(line.words))
    if line.kids or len(acts) != 1 or len(ends) != len(_TWO):
        return None
    return acts[0], ends[0], ends[1], line.line


def _ends(words: Sequence[str]) -> Iterator[tuple[str, ...]]:
    """Each network with its mask, and each word for everything."""
    at = 0
    while at < len(words):
        following = words[at + 1] if at + 1 < len(words) else ""
        if w.masked(words[at], following):
            yield words[at], following
            at += 1
        elif w.network_of(words[at]) or words[at].lower() in w.EVERYTHING:
            yield (words[at],)
        at += 1


def _carried(one: Statement, lists: Mapping[str, Sequence[Row]]) -> Statement:
    """A tunnel's line with the networks of the list that it names, from the own side to the far one."""
    if one.kids:
        return Statement(one.words, one.line, [_carried(kid, lists) for kid in one.kids], one.quoted)
    place = next((n for n, word in enumerate(one.words) if n and word in lists), 0)
    if not place or not _may_speak(one):
        return one
    rows = [Statement((*near, "->", *far), line) for taken, near, far, line in lists[one.words[place]] if taken]
    head = one.words[:place]
    return Statement(head if w.bag(head) & w.NETWORKS else (*head, "traffic"), one.line, rows)


def _translated(thing: Thing, lists: Mapping[str, Sequence[Row]]) -> Iterator[Thing]:
    """A translation for each row of the list that it names; the packets that a row passes over keep their addresses."""
    said = ((n, one) for n, one in enumerate(thing.body) if _may_speak(one))
    lines = [(n, p) for n, one in said for p, word in enumerate(one.words) if word in lists]
    if len(lines) != 1 or any(one.kids for one in thing.body):
        yield thing
        return
    number, place = lines[0]
    one = thing.body[number]
    rest = (*one.words[: max(place - 1, 0)], *one.words[place + 1 :])
    for taken, near, far, line in lists[one.words[place]]:
        sides = (_TWO[0], *near, _TWO[1], *far)
        body = [Statement(sides, line), *thing.body[:number], Statement(rest, one.line), *thing.body[number + 1 :]]
        yield Thing("translation", "", body if taken else [Statement(("exempt", *sides), line)], line, thing.label)
