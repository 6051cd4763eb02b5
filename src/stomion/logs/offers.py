"""Which algorithms a line names, and whose they are: by the words before them."""

from __future__ import annotations

import re

from stomion.logs.classify import REFUSALS
from stomion.model.event import What
from stomion.model.proposal import Proposal
from stomion.vocabulary.algorithms import find_proposal, find_proposals

_THEIRS = r"received|theirs?|offered|remote|peer(?:'s)?|their|far|it offered|requested|asked|proposed|got|came|has|brings|brought"
_MINE = r"configured|mine|permit\w*|ours?|we only|local|allow\w*|expect\w*|own|accepts?|we take|want\w*|require\w*|supported|have|needs?|here"
_MARK = re.compile(rf"(?<![A-Za-z])(?:(?P<their>{_THEIRS})|(?P<mine>{_MINE}))\b", re.IGNORECASE)
_FROM_THERE = re.compile(r"\b(?:from|by) (?:\w+ ){0,2}\d{1,3}(?:\.\d{1,3}){3}|\bas (?:the )?responder\b", re.IGNORECASE)
"""Whoever is asked names what the other end offers."""
_SENT_AND_HELD = re.compile(
    r"\b(?:peer|remote|far|partner)(?: (?:end|endpoint|gateway|side|site))? (?:sent|sends|offer(?:ed|s)|brought|brings)\b"
    r".{1,200}\b(?:profile|policy|entry|we|config\w*)(?: \w+)? (?:permits?|allows?|requires?|expects?|wants?|takes?|holds?|has)\b",
    re.IGNORECASE,
)
"""Who sets what the other end sent against what it holds refused it itself."""


def proposals_of(
    line: str, ideas: frozenset[str], what: What
) -> tuple[Proposal | None, Proposal | None, tuple[Proposal, ...]]:
    """(mine, theirs, theirs one by one where they are several): each stretch of the line belongs to the nearest word before it that says whose it is."""
    if not announces_algorithms(ideas, what):
        return None, None, ()
    protocol = "ESP" if re.search(r"\besp\b|child| data", line, re.IGNORECASE) else "IKE"
    marks = [(m.start(), "their" if m["their"] else "mine") for m in _MARK.finditer(line)]
    if what is What.AGREED or not marks:
        found = find_proposal(line, protocol)
        if what is What.PROPOSALS and _FROM_THERE.search(line):
            return None, found, ()
        return found, found if what is What.AGREED else None, ()
    parts: dict[str, str] = {"mine": "", "their": ""}
    for (start, who), stop in zip(marks, [m[0] for m in marks[1:]] + [len(line)], strict=True):
        parts[who] += " " + line[start:stop]
    sides = {who for _, who in marks}
    if what in REFUSALS and len(sides) == 1 and find_proposal(parts[min(sides)], protocol) is not None:
        # A word names one of two sides: what stands before it is the other's.
        parts["their" if "mine" in sides else "mine"] = line[: marks[0][0]]
    offers = find_proposals(parts["their"], protocol)
    several = offers if len(offers) > 1 else ()
    return find_proposal(parts["mine"], protocol), find_proposal(parts["their"], protocol), several


def announces_algorithms(ideas: frozenset[str], what: What) -> bool:
    """Do the words of a line announce algorithms?"""
    named = ideas & {"proposal", "names", "selected"} or ("algorithms" in ideas and what in REFUSALS)
    return bool(named) and what not in (What.SENT, What.RECEIVED)


def is_held_against(line: str) -> bool:
    """Does a line set what the other end sent against what the writer holds?"""
    return _SENT_AND_HELD.search(line) is not None
