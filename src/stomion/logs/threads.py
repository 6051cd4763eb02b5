"""Logs that several threads write in turn: a tag in every line tells whose it is, and a thread's peer is named in some of its lines only."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from stomion.vocabulary.addresses import read_addresses

_TAG = re.compile(
    r"(?:^|[\s|])(?P<closed>[{\[(<](?:tid|thr(?:ead)?|th?|w(?:k|orker)?|task|job)?[ =:#.-]?\d{1,6}[}\])>])(?=[\s:|,]|$)"
    r"|(?<![\w.])(?P<named>(?:tid|thr(?:ead)?|worker|task|job)[ =:#.-]{0,2}\d{1,6}|(?:th?|w)\d{1,4}(?=[|:]))(?![\w.])",
    re.IGNORECASE,
)
BEGINNING = 120
"""Characters of a line in which a tag stands, its time among them."""
LOOKED_AT = 100
"""Lines by which it is told whether a log is of threads."""
MOST_OF = 0.6
"""Share of them that must have a tag."""


def tag_of(said: str) -> str:
    """The thread's tag in a line, with its time or without; empty where there is none."""
    found = _TAG.search(said[:BEGINNING])
    return (found["closed"] or found["named"]).lower() if found is not None else ""


def in_turns(lines: Iterable[str]) -> Iterator[str]:
    """The lines of a log, in their order, with another number in a thread's tag each time it turns to another address."""
    turns: dict[str, int] = {}
    about: dict[str, str] = {}
    for text in lines:
        found = _TAG.search(text[:BEGINNING])
        if found is None:
            yield text
            continue
        tag = (found["closed"] or found["named"]).lower()
        named = {address for address, _ in read_addresses(text).endpoints}
        if len(named) == 1 and (address := named.pop()) != about.get(tag):
            turns[tag] = turns.get(tag, -1) + 1
            about[tag] = address
        turn = turns.get(tag, 0)
        number = found.end() - (1 if found["closed"] else 0)
        yield f"{text[:number]}{turn:02}{text[number:]}" if turn else text


def is_of_threads(said: Iterable[str]) -> bool:
    """Do most of these lines have a tag, and not all of them the same?"""
    tags = [tag_of(text) for text in said if text.strip()]
    found = [tag for tag in tags if tag]
    return len(set(found)) > 1 and len(found) >= MOST_OF * len(tags)
