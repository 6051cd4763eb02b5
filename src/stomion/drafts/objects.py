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
    label: str = ""
    """The word that told its kind."""

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
        if out and _goes_on(out[-1], thing):
            out[-1].body += thing.body
            continue
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


_ACTIONS = w.ALLOW | w.DROP | w.REJECT | w.HIDE | w.EXEMPT | {"snat", "dnat"}


def _goes_on(before: Thing, thing: Thing) -> bool:
    """Is it one more line of the same numbered rule? Two lines that both say what to do are two rules of a list with that number."""
    same = (before.kind, before.name) == (thing.kind, thing.name)
    return same and thing.kind in _LISTS and thing.name.isdecimal() and not (_acts(before) and _acts(thing))


def _acts(thing: Thing) -> bool:
    """Do a rule's lines say what it does?"""
    return any(word.lower() in _ACTIONS for s in thing.body for word in s.words)


def _walk(top: list[Statement], depth: int) -> Iterator[Thing]:
    for statement in top:
        place, kind = _kind(statement)
        if not kind:
            yield from _walk(statement.kids, depth + 1) if _holds_things(statement) else ()
            continue
        label = statement.words[place]
        while (
            place + 1 < len(statement.words)
            and _again(statement.words[place + 1], kind)
            and (len(statement.words) > place + 2 or statement.kids)
        ):
            place += 1
        rest = statement.words[place + 1 :]
        if statement.kids and not rest and kind not in _LISTS and _are_items(statement, kind):
            for kid in statement.kids:
                yield Thing(kind, kid.words[0] if kid.words else _name(kid, -1), kid.kids, kid.line, label)
            continue
        if statement.kids and (kind == "system" or (kind not in _LISTS and _holds_named(statement, kind))):
            yield Thing(
                kind,
                _name(statement, place),
                [k for k in statement.kids if not _kind(k)[1] or not k.kids],
                statement.line,
            )
            yield from _walk([k for k in statement.kids if k.kids or _kind(k)[1] in ("route", "interface")], depth + 1)
        elif (
            statement.kids
            and kind in _LISTS
            and not rest
            and not _is_numbered(statement.words[place])
            and not _is_one(statement)
        ):
            for kid in statement.kids:
                yield Thing(
                    kind,
                    kid.words[0] if kid.kids and kid.words and not kid.words[0].isdecimal() else "",
                    kid.kids if kid.kids else [kid],
                    kid.line,
                )
        elif statement.kids:
            yield Thing(kind, _name(statement, place), statement.kids, statement.line, label)
        elif kind in _LISTS:
            number, rest = _numbered(rest)
            at = len(statement.words) - len(rest)
            yield Thing(kind, number, [Statement(rest, statement.line, quoted=_shifted(statement, at))], statement.line)
        else:
            skip = 1 if len(rest) > 1 and set(w.parts_of(rest[0])) & w.NAME else 0
            body = Statement(rest[1 + skip :], statement.line, quoted=_shifted(statement, place + 2 + skip))
            yield Thing(kind, rest[skip] if rest else "", [body], statement.line, rest[0] if skip else label)


def _shifted(statement: Statement, by: int) -> frozenset[int]:
    return frozenset(n - by for n in statement.quoted if n >= by)


def _again(word: str, kind: str) -> bool:
    """Is a word beside the kind one more word for it: `vpn connection NAME`, `nat rule 10`?"""
    known = next(words for name, words in w.KINDS if name == kind)
    low = word.lower()
    return (
        low in known
        or (kind == "translation" and low in w.SOURCE | w.DESTINATION | {"rule", "rules"})
        or (kind == "route" and low == "static")
    )


def _numbered(words: tuple[str, ...]) -> tuple[str, tuple[str, ...]]:
    """A rule's number, and what follows it."""
    return (words[0], words[1:]) if len(words) > 1 and words[0].isdecimal() else ("", words)


def _are_items(statement: Statement, kind: str) -> bool:
    """Is it a list of things, each a block without a name or with its name alone?"""
    plural = statement.words[-1].lower().endswith("s") and not statement.words[-1].lower().endswith("ss")
    blocks = all(kid.kids and not kid.words[1:] for kid in statement.kids)
    named = all(not kid.words or not _kind(kid)[1] or kind == "tunnel" for kid in statement.kids)
    return blocks and (plural or all(not kid.words for kid in statement.kids)) and named


def _is_one(statement: Statement) -> bool:
    """Is a block one rule, whose lines are keys with a value each?"""
    return all(
        kid.words and len(kid.words) <= HEAD and not kid.kids and not w.is_value(kid.words[0]) for kid in statement.kids
    )


def _is_numbered(word: str) -> bool:
    return word[-1:].isdecimal()


def _kind(statement: Statement) -> tuple[int, str]:
    """(which word tells, the kind) of a statement; an empty kind for one of no known kind."""
    for place, word in enumerate(statement.words[:HEAD]):
        if place in statement.quoted:
            break
        low = word.lower()
        kind = _kind_of(low) or next(filter(None, map(_kind_of, _ends(word))), "")
        if kind:
            return place, kind
        if low not in _ORDERS:
            break
    return 0, ""


def _kind_of(word: str) -> str:
    return next((kind for kind, known in w.KINDS if word in known), "")


def _ends(word: str) -> tuple[str, ...]:
    """The last and the first part of a word that has several: `ike-proposal` is a proposal, `VPN1` a tunnel."""
    parts = w.parts_of(word)
    return (parts[-1], parts[0]) if len(parts) > 1 else ()


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
