"""Sentences: what is said of `it` stands below the sentence that names it."""

from __future__ import annotations

import re
from collections.abc import Iterator

from stomion.shapes.nested import Lines

MOST = 0.6
"""Of a text's lines, or paragraphs of long lines, that must end as sentences do."""
SEVERAL = 5
"""Sentences from which on a text is made of them."""
LONG = 50
"""Characters of a line that may go on in the next."""
HEAD = 4
"""Words of a sentence among which the word for what it is about stands."""
_IT = frozenset({"it", "its", "they", "their"})
_APART = re.compile(r"(?<=[a-z\d\"'][.!])\s+(?=[A-Z])")


def without_pronouns(lines: Lines) -> Lines:
    """Sentences that go on about the one before, indented below it; the lines as they are where the text has no sentences."""
    told = [line.strip() for _, line in lines if line.strip()]
    ends = sum(line[-1] in ".!" and line[0].isupper() for line in told)
    paragraphs = list(_paragraphs(lines))
    if sum(line[:1].isspace() for _, line in lines) * SEVERAL > len(told):
        return lines
    if ends < MOST * len(told):
        closed = sum(p[-1][1].rstrip()[-1] in ".!" and p[0][1].strip()[0].isupper() for p in paragraphs)
        if closed < max(MOST * len(paragraphs), 2) or sum(map(len, told)) < LONG * len(told):
            return lines
    out: Lines = []
    count = 0
    for paragraph in paragraphs:
        about = False
        for number, sentence in _sentences(paragraph):
            count += 1
            words = [word.lower() for word in re.split(r"[\s,]+", sentence)[:HEAD]]
            about = bool(_IT & set(words)) or (about and words[:1] == ["the"])
            out.append((number, f"  {sentence}" if about else sentence))
    return out if count >= SEVERAL and any(line[:1] == " " for _, line in out) else lines


def _paragraphs(lines: Lines) -> Iterator[Lines]:
    here: Lines = []
    for number, line in lines:
        if line.strip():
            here.append((number, line))
        elif here:
            yield here
            here = []
    if here:
        yield here


def _sentences(paragraph: Lines) -> Iterator[tuple[int, str]]:
    """(line that it begins on, the sentence)."""
    begun, told = 0, ""
    for number, line in paragraph:
        begun, told = (begun, f"{told} {line.strip()}") if told else (number, line.strip())
        *whole, told = _APART.split(told)
        for sentence in whole:
            yield begun, sentence
            begun = number
        if told[-1:] in (".", "!", ":"):
            yield begun, told
            told = ""
    if told:
        yield begun, told
