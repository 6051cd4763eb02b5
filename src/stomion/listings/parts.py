"""Records that are a part of another: the directions of a tunnel as records of their own, which name it or its number."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from stomion.listings import keywords as k
from stomion.listings.raw import Raw

_OWNERS = frozenset({"tunnel", "connection", "conn", "vpn", "sa", "peer", "child", "ipsec"})
_CALLED = frozenset({"name", "id", "number", "no", "index", "key", "ref"})
Owner = tuple[str, str]
"""The word for what it is, and its name or number."""


def with_parts(raws: Sequence[Raw]) -> list[Raw]:
    """Each record with those that name it, if they are of a direction; in the order of the first."""
    owners: dict[Owner, Raw] = {}
    for raw in raws:
        for owner in _names(raw) if not _way(raw) else ():
            owners.setdefault(owner, raw)
    parts = {id(raw): owners[owner] for raw in raws if _way(raw) and (owner := _owner(raw)) in owners}
    if not parts:
        return list(raws)
    whole = {id(raw): Raw(raw.line, raw.head, list(raw.pairs), raw.entry) for raw in raws if id(raw) not in parts}
    for raw in raws:
        if id(raw) in parts:
            way = _way(raw)
            whole[id(parts[id(raw)])].pairs += [
                (f"{way}bound {key}", value) for key, value in raw.pairs if not k.WAYS & set(k.words_of(key))
            ]
    return list(whole.values())


def _way(raw: Raw) -> str:
    """The direction that a whole record is of: by its head, or by a value."""
    head = [word.strip(":,").lower() for word in raw.head.split()]
    said = next((value.strip().lower() for key, value in raw.pairs if k.WAYS & set(k.words_of(key))), "")
    return k.direction_of([word for word in (*head, said) if word in k.DIRECTIONS])


def _names(raw: Raw) -> list[Owner]:
    """What a record may be called by others."""
    head = [word.strip(':,"').lower() for word in raw.head.split()]
    kinds = [word for word in head if word in _OWNERS]
    told = [(word, name) for word, name in pairwise(head) if word in _OWNERS]
    for key, value in raw.pairs:
        words = k.words_of(key)
        if words and words[-1] in _CALLED and len(words) < len(("the", "tunnel", "name")):
            told += [(kind, value.strip().lower()) for kind in kinds or words[:-1] or _OWNERS]
    return told


def _owner(raw: Raw) -> Owner:
    """What a record says that it belongs to."""
    found = ((words[0], value.strip().lower()) for key, value in raw.pairs if (words := k.words_of(key)))
    return next(((kind, name) for kind, name in found if kind in _OWNERS), ("", ""))
