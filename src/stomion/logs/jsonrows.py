"""Records of JSON that are written over several lines, or in an array: each becomes one line, as other logs have it from the start."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator

_SPACE = re.compile(r"[\s,]*")
_WRAPPER = re.compile(r"\{\s{0,80}\"[^\"\\]{1,60}\"\s{0,80}:\s{0,80}(?=\[\s{0,80}\{)")
"""An object whose first field is the list of records."""
MOST_RECORDS = 200_000


def is_json(head: str) -> bool:
    """Does a text begin with an array of objects, or with an object that goes on in the next lines or holds such an array?"""
    text = head.lstrip("\ufeff \t\r\n")
    if text[:1] == "[":
        return text[1:].lstrip()[:1] == "{"
    first, _, rest = text.partition("\n")
    if first[:1] != "{":
        return False
    return _WRAPPER.match(text) is not None or (first.rstrip()[-1:] in "{,[" and rest.lstrip()[:1] in '"}{')


def rows_of(text: str) -> Iterator[tuple[int, str]]:
    """(number of the line that it begins in, itself on one line) of every record. What is no JSON ends it."""
    decoder = json.JSONDecoder()
    at = counted = 0
    number = 1
    for _ in range(MOST_RECORDS):
        at = _next(text, at)
        if at >= len(text):
            return
        try:
            record, end = decoder.raw_decode(text, at)
        except (ValueError, RecursionError):
            return
        number += text.count("\n", counted, at)
        counted = at
        if isinstance(record, dict):
            yield number, json.dumps(record, ensure_ascii=False)
        at = end


def _next(text: str, at: int) -> int:
    """Where the next record begins: past what stands between two, and inside of arrays and of what wraps these."""
    while at < len(text):
        space = _SPACE.match(text, at)
        at = space.end() if space is not None else at
        wrapper = _WRAPPER.match(text, at)
        if wrapper is not None:
            at = wrapper.end()
        elif text[at : at + 1] in ("[", "]"):
            at += 1
        elif text[at : at + 1] == "}":
            # The end of a wrapper.
            at += 1
        else:
            return at
    return at
