"""How many were sent, answered and lost, by the numbers and words of a line: totals, pairs, and whole sentences."""

from __future__ import annotations

import re
from dataclasses import dataclass

from stomion.trials.words import ALL, LOST, NONE, RECEIVED, SENT, UNIT
from stomion.vocabulary.addresses import ADDRESS

MOST = 2_000_000
"""More probes than this are no test."""
_WORDS = {
    "one": 1, "once": 1, "two": 2, "twice": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9, "ten": 10,
    "eleven": 11, "twelve": 12, "fifteen": 15, "twenty": 20, "thirty": 30, "forty": 40, "fifty": 50, "hundred": 100,
}  # fmt: skip
_SPELT = re.compile(rf"\b(?<!every )(?<!each )(?<!not )(?<!no )(?:{'|'.join(_WORDS)})\b(?! by one)")
SHARES = re.compile(
    r"(?:sent|xmt|snt|transmitted)\s*/\s*(?:rcv\w*|recv\w*|received)(?:\s*/\s*%?\w+%?)?\s*[=:]\s*(\d{1,7})\s*/\s*(\d{1,7})"
)
_TRIPLE = re.compile(r"\d{1,12}(?:[.,]\d{1,12})?(?:/\d{1,12}(?:[.,]\d{1,12})?){2,}")
_PAIR = re.compile(
    r"(?<![\w./+-])(\d{1,7})\s*(?:/|out of|of|von|aus|sur|di|de|van|av|z)\s*(?:the |its )?(\d{1,7})(?![\w/]|\.\d)"
)
_CLAUSE = re.compile(r"[,;()!]|\.(?=\s|$)|\s-\s|\b(?:and|und|et|but|with|while|en|och)\b")
_NUMBER = re.compile(r"(?<![\w.+/-])\d{1,7}(?![\w/]|\.\d)")
_NAMED = re.compile(r"([a-z][a-z -]{1,30}?)\s*[=:]\s*(\d{1,7})(?![\w.%/])")
_PLURAL = re.compile(r"\((?:s|es|e|n)\)")
_LEADER = re.compile(r"\.{2,}|_{2,}|·{2,}")


@dataclass(slots=True)
class Counts:
    """What is known so far; several lines may fill it."""

    sent: int | None = None
    received: int | None = None
    lost: int | None = None

    @property
    def known(self) -> bool:
        """Do they tell how a test went?"""
        return self.sent is not None and (self.received is not None or self.lost is not None)

    @property
    def answered(self) -> int:
        """Answers, where `known`."""
        if self.received is not None:
            return self.received
        return max((self.sent or 0) - (self.lost or 0), 0)

    def join(self, other: Counts) -> None:
        """Take over what the other one knows; the later word counts."""
        self.sent = other.sent if other.sent is not None else self.sent
        self.received = other.received if other.received is not None else self.received
        self.lost = other.lost if other.lost is not None else self.lost


def counts_of(low: str) -> Counts | None:
    """The counts of a plain line; None where it holds none."""
    text = _PLURAL.sub("", _LEADER.sub(" ", ADDRESS.sub(" ", low)))
    columns = SHARES.search(text)
    if columns is not None:
        return Counts(int(columns[1]), int(columns[2]))
    found = Counts()
    text = _spelt(UNIT.sub(" ", _TRIPLE.sub(" ", text)))
    named = [(_kind(m[1]), int(m[2])) for m in _NAMED.finditer(text)]
    if len({kind for kind, _ in named if kind}) > 1:
        for kind, value in named:
            if kind and getattr(found, kind) is None:
                setattr(found, kind, value)
        return found
    pair = _PAIR.search(text)
    if pair is not None and (LOST.search(text) or RECEIVED.search(text)) and int(pair[1]) <= int(pair[2]):
        _take_pair(found, int(pair[1]), int(pair[2]), text, pair)
    else:
        for clause in _CLAUSE.split(text):
            _take(found, clause)
    values = (found.sent, found.received, found.lost)
    return found if any(v is not None for v in values) and all(v is None or v <= MOST for v in values) else None


def _spelt(text: str) -> str:
    return _SPELT.sub(lambda m: str(_WORDS[m[0]]), text)


def _take_pair(found: Counts, part: int, whole: int, text: str, pair: re.Match[str]) -> None:
    """`13 of 30 answered`, `lost: 2/5`: the word nearest to the pair tells which part it is."""
    found.sent = whole
    near = min(((abs(m.start() - pair.end()), "lost") for m in LOST.finditer(text)), default=(10_000, ""))
    best = min(((abs(m.start() - pair.end()), "received") for m in RECEIVED.finditer(text)), default=(10_000, ""))
    if near < best:
        found.lost = part
    else:
        found.received = part


def _kind(text: str) -> str:
    """The part that a piece of text speaks of: what was lost goes before what was received, as its words hold those."""
    kinds = (("lost", LOST), ("received", RECEIVED), ("sent", SENT))
    return next((name for name, words in kinds if words.search(text)), "")


def _take(found: Counts, clause: str) -> None:
    """A clause with one number and a word of its kind."""
    numbers = [int(m[0]) for m in _NUMBER.finditer(clause)]
    kind = _kind(clause)
    if not kind and len(numbers) == 1 and re.search(r"\btimes\b", clause):
        kind = "sent"
    if not kind:
        return
    if numbers:
        if getattr(found, kind) is None:
            setattr(found, kind, numbers[0])
    elif NONE.search(clause):
        found.received = 0 if found.received is None else found.received
    elif ALL.search(clause) and found.sent is not None and kind != "sent":
        setattr(found, kind, found.sent)
