"""Four networks with a label each: which side's it is, and whether it was asked for or is held. What the labels say, in whatever order they stand."""

from __future__ import annotations

import re
from itertools import pairwise

from stomion.vocabulary.addresses import places_of_ranges

_NEAR = re.compile(r"(?<![a-z])(?:near|local|own|our|ours|here|inside|mine|my|this)(?![a-z])", re.IGNORECASE)
_FAR = re.compile(r"(?<![a-z])(?:far|remote|peer|away|there|outside|other|opposite)(?![a-z])", re.IGNORECASE)
_ASKED = re.compile(
    r"(?<![a-z])(?:request(?:s|ed)?|asked|asks|got|offer(?:s|ed)?|proposed|received|came|theirs?|rx|wanted|sought)(?![a-z])",
    re.IGNORECASE,
)
_HELD = re.compile(
    r"(?<![a-z])(?:provisioned|configured|have|has|held|hold|allow(?:s|ed)?|permit(?:s|ted)?|granted|set|expect(?:s|ed)|cfg|conf|known|foreseen|agreed|ours|mine)(?![a-z])",
    re.IGNORECASE,
)
_HUMPS = re.compile(r"(?<=[a-z])(?=[A-Z])")
_LABEL = 60
"""Characters before a network in which its label stands, at most."""
Pair = tuple[str, str]


def asked_and_held(text: str) -> tuple[Pair, Pair] | None:
    """(what the asker wants, its own side first; what the writer holds, its own side first), or None where the labels do not tell all four."""
    places = _places(text)
    if len(places) != len(("near", "far")) * 2:
        return None
    cells: dict[tuple[bool, bool], str] = {}
    asked: bool | None = None
    for network, label, near, _ in places:
        by_asker, by_holder = _ASKED.search(label) is not None, _HELD.search(label) is not None
        # A word that is said once holds until another one is said.
        asked = by_asker if by_asker != by_holder else asked
        if near is None or asked is None:
            return None
        cells.setdefault((near, asked), network)
    if len(cells) != len(places):
        return None
    return (cells[False, True], cells[True, True]), (cells[True, False], cells[False, False])


def names_sides(text: str) -> bool:
    """Is it told of two networks that follow each other whose side each is: by a label of both, or by a sign that leads from one to the other?"""
    places = _places(text)
    if any(_JOINED.match(text[end : end + _SIGN]) for _, _, _, end in places):
        return True
    sides = [near for _, _, near, _ in places]
    return any(one is not None and other is not None and one != other for one, other in pairwise(sides))


def _places(text: str) -> list[tuple[str, str, bool | None, int]]:
    """(a network, the words before it, is it the writer's side, where it ends) of each; None where it does not say."""
    found: list[tuple[str, str, bool | None, int]] = []
    last = 0
    for begin, end, network in places_of_ranges(text):
        label = _label(text, last, begin)
        after = _AFTER.match(text, end)
        side = _side(after[1]) if after is not None else None
        last = after.end() if after is not None and side is not None else end
        found.append((network, label, _side(label) if side is None else side, last))
    return found


_AFTER = re.compile(r"\s?\(([a-z ]{2,24})\)", re.IGNORECASE)


def _side(label: str) -> bool | None:
    near, far = _NEAR.search(label) is not None, _FAR.search(label) is not None
    return near if near != far else None


def _label(text: str, last: int, begin: int) -> str:
    """The words before a network, of its own clause."""
    words = _CLAUSE.split(text[max(last, begin - _LABEL) : begin])[-1]
    return _HUMPS.sub(" ", words).replace("_", " ")


_CLAUSE = re.compile(r"[;\n]|(?<=\w)\. (?=[A-Z])")


_JOINED = re.compile(r"\s?(?:={2,}>?|<?[=-]+>|<=+>|::|→|↔|>)")
_SIGN = 6
"""Characters after a network among which a sign stands that leads from its own side to the other."""
