"""Whether a block is one thing or a list of them."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.drafts import words as w
from stomion.drafts.kinds import kind_at
from stomion.drafts.roles import role_of
from stomion.drafts.things import HEAD, LISTS
from stomion.shapes.statement import Statement

_PROPERTIES = w.OWN | w.FAR | w.DPD | w.PHASE_1 | w.PHASE_2 | w.IDENTITY | {"auth", "authentication", "match", "action"}


def are_items(statement: Statement, kind: str) -> bool:
    """Is it a list of things, each a block of their kind, without a name, or with its name alone?"""
    if kind in LISTS:
        return not is_numbered(statement.words[-1:]) and not _is_one(statement)
    blocks = [kid for kid in statement.kids if kid.words and kid.kids]
    if all(not kid.words or kind_at(kid)[1] == kind for kid in statement.kids if kid.kids):
        return all(kid.kids for kid in statement.kids)
    last = statement.words[-1].lower() if statement.words else ""
    plural = last.endswith("s") and not last.endswith("ss")
    plain = all(
        len(kid.words) == 1 and (kind != "tunnel" or not set(w.parts_of(kid.words[0])) & _PROPERTIES) for kid in blocks
    )
    names = kind != "tunnel" and all(not kind_at(kid)[1] and kid.words for kid in blocks)
    return plain and all(kid.kids for kid in statement.kids) and (plural or names or not _single(kind, statement))


def is_title(rest: Statement, label: str) -> bool:
    """Do the words after the name of a list only speak of it: `Filter rules, the first match counts`?"""
    about = sum(word.lower() in _ABOUT for word in rest.words) > 1
    return (label.lower().endswith("s") or about) and len(rest.words) > 1 and not any(map(w.is_value, rest.words))


_ABOUT = frozenset({"in", "the", "this", "order", "first", "match", "list", "of", "counts", "from", "top"})


def _single(kind: str, statement: Statement) -> bool:
    """Do the blocks within tell of one thing?"""
    return kind != "tunnel" or any(kind_at(kid)[1] not in ("", kind) for kid in statement.kids)


def _is_one(statement: Statement) -> bool:
    """Is a block one rule, whose lines are keys with a value each?"""
    if w.parts_of(statement.words[-1])[-1:] in (("rule",), ("entry",)):
        return all(kid.words and not (kid.kids and kind_at(kid)[1] in LISTS) for kid in statement.kids)
    plain = [kid for kid in statement.kids if kid.words and not kid.kids]
    told = sum(map(_says_one, plain))
    # Where several lines are keys that are known, those with a sign behind theirs are keys as well.
    keys = [_key(kid.words) for kid in plain if _says_one(kid) or (kid.key and told > 1)]
    once = [key for key in keys if key[0] not in _SERVICES]
    if len(keys) == len(statement.kids) and len(set(once)) == len(once):
        return True
    return all(
        kid.words
        and sum(not w.is_value(word) for word in kid.words) < HEAD
        and not kid.kids
        and not w.is_value(kid.words[0])
        for kid in statement.kids
    )


def _key(words: Sequence[str]) -> tuple[str, ...]:
    """The words of a line before its value: `from`, or `from zone`."""
    before = [word.lower() for word in words[:2] if not w.is_value(word)]
    return tuple(before if before and len(words) > len(before) else [words[0].lower()])


_SERVICES = w.SERVICE - {"for"}


def _says_one(statement: Statement) -> bool:
    """Does a line say one thing of a rule: a key that is known, and its value?"""
    words = statement.words
    if len(words) < len(("key", "value")):
        return False
    head = words[:-1][:2] if len(words) > len(("key", "value")) and not w.is_value(words[1]) else words[:1]
    if {part for word in head for part in w.parts_of(word)} & w.NAME and not role_of(head[0]):
        return True
    known = role_of(head[0]) or head[0].lower() in _DOES or role_of("-".join(head))
    return bool(known) and not any(
        role_of(word) or word.lower() in _DOES for word in words[len(head) :] if not w.is_value(word)
    )


_DOES = frozenset({"action", "act", "do", "verdict", "then", "translate", "type"})


def is_numbered(words: Sequence[str]) -> bool:
    return bool(words) and words[-1][-1:].isdecimal()
