"""What a configuration speaks of: interfaces, tunnels, routes, rules, and the names it gives to networks, services and proposals."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from stomion.drafts import words as w
from stomion.drafts.shape import Statement

_ORDERS = frozenset({"set", "add", "create", "config", "edit", "define", "new", "insert", "ip", "crypto", "security"})
"""First words of lines that only say that something follows."""
_LISTS = frozenset({"route", "translation", "filter"})
HEAD = 3
"""Words of a statement among which its kind stands."""


@dataclass(slots=True)
class Thing:
    """`name` is empty where none stands beside the kind; `body` holds what is said of it, statement by statement."""

    kind: str
    name: str
    body: list[Statement]
    line: int

    def leaves(self) -> Iterator[tuple[tuple[str, ...], Statement]]:
        """(words above, statement) of all that is said of it."""
        for statement in self.body:
            if statement.kids:
                yield from statement.leaves(statement.words)
            else:
                yield (), statement


def things_of(top: list[Statement]) -> list[Thing]:
    """Everything of a known kind, in the order of the lines; lines of commands that name the same thing are put together."""
    found: dict[tuple[str, str], Thing] = {}
    out: list[Thing] = []
    for thing in _walk(top, 0):
        key = (thing.kind, thing.name)
        known = (
            found.get(key)
            if thing.name and thing.kind in ("tunnel", "interface", "proposal", "network-group")
            else None
        )
        if known is None:
            found[key] = thing
            out.append(thing)
        else:
            known.body += thing.body
    return out


def _walk(top: list[Statement], depth: int) -> Iterator[Thing]:
    for statement in top:
        place, kind = _kind(statement)
        if not kind:
            yield from _walk(statement.kids, depth + 1) if _holds_things(statement) else ()
            continue
        rest = statement.words[place + 1 :]
        if statement.kids and (kind == "system" or (kind not in _LISTS and _holds_named(statement, kind))):
            yield Thing(
                kind,
                _name(statement, place),
                [k for k in statement.kids if not _kind(k)[1] or not k.kids],
                statement.line,
            )
            yield from _walk([k for k in statement.kids if k.kids or _kind(k)[1] in ("route", "interface")], depth + 1)
        elif statement.kids and kind in _LISTS and not rest and not _is_numbered(statement.words[place]):
            for kid in statement.kids:
                yield Thing(kind, "", [kid], kid.line)
        elif statement.kids:
            yield Thing(kind, _name(statement, place), statement.kids, statement.line)
        elif kind in _LISTS:
            yield Thing(
                kind, "", [Statement(rest, statement.line, quoted=_shifted(statement, place + 1))], statement.line
            )
        else:
            yield Thing(
                kind,
                rest[0] if rest else "",
                [Statement(rest[1:], statement.line, quoted=_shifted(statement, place + 2))],
                statement.line,
            )


def _shifted(statement: Statement, by: int) -> frozenset[int]:
    return frozenset(n - by for n in statement.quoted if n >= by)


def _is_numbered(word: str) -> bool:
    return word[-1:].isdecimal()


def _kind(statement: Statement) -> tuple[int, str]:
    """(which word tells, the kind) of a statement; an empty kind for one of no known kind."""
    for place, word in enumerate(statement.words[:HEAD]):
        if place in statement.quoted:
            break
        low = word.lower()
        whole = next((kind for kind, known in w.KINDS if low in known), "")
        part = whole or next(
            (kind for kind, known in w.KINDS if len(w.parts_of(word)) > 1 and set(w.parts_of(word)[:1]) & known), ""
        )
        if part:
            return place, part
        if low not in _ORDERS:
            break
    return 0, ""


def _holds_things(statement: Statement) -> bool:
    return any(_kind(kid)[1] for kid in statement.kids if kid.kids)


def _holds_named(statement: Statement, kind: str) -> bool:
    """Is it a block of several things of its own kind?"""
    return any(kid.kids and _kind(kid)[1] == kind and len(kid.words) > 1 for kid in statement.kids)


def _name(statement: Statement, place: int) -> str:
    """The word beside the kind, else what a line inside calls it."""
    rest = [word for word in statement.words[place + 1 :] if word.lower() not in w.NAME]
    if rest:
        return rest[0]
    for kid in statement.kids:
        if len(kid.words) > 1 and set(w.parts_of(kid.words[0])) & w.NAME and not kid.kids:
            return " ".join(kid.words[1:])
    return ""
