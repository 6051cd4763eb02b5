"""What a thing is called."""

from __future__ import annotations

from stomion.drafts import words as w
from stomion.drafts.kinds import kind_word
from stomion.drafts.things import MERGED
from stomion.shapes.statement import Statement

_FILLERS = frozenset({"of", "the", "this", "is"})


def name_of(rest: Statement, kind: str = "") -> str:
    """The word beside the kind, else what a line inside calls it: by a word for a name, or by that for its kind."""
    words = [word for word in rest.words if word.lower() not in w.NAME and not (rest.kids and w.network_of(word))]
    if kind == "system" and len(words) > 1 and words[0].lower() in _FILLERS:
        return words[-1]
    called = next((kid for known in (w.NAME, KEYS) for kid in rest.kids if calls(kid, known)), None)
    if words and not (called is not None and all(word.lower() in _COUNTED or word.isdecimal() for word in words)):
        return words[0]
    if called is None and not words and kind in MERGED:
        called = next(
            (
                kid
                for kid in rest.kids
                if len(kid.words) == len(("interface", "wan"))
                and not kid.kids
                and kind_word(kid.words[0]) == kind
                and not w.is_value(kid.words[1])
            ),
            None,
        )
    return " ".join(called.words[1:]) if called is not None else ""


_COUNTED = frozenset({"no", "nr", "number", "#"})
KEYS = frozenset({"id", "ref", "handle"})


def calls(kid: Statement, known: frozenset[str]) -> bool:
    """Is it a key for a name, and nothing else?"""
    return (
        len(kid.words) > 1 and not kid.kids and bool(set(w.parts_of(kid.words[0])) & known) and not _sided(kid.words[0])
    )


def _sided(word: str) -> bool:
    return bool(set(w.parts_of(word)) & (w.OWN | w.FAR))
