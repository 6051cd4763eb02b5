"""Large JSON decoded piece by piece: the decoder as a whole lets nothing else run, and nobody call it off, until it has finished."""

from __future__ import annotations

import json
import re
from typing import Any

from stomion.ingest.stoppable import look

LARGE = 1 << 20
"""Bytes from which on it is done in pieces; less is decoded in some hundredths of a second."""
LEVELS = 4
"""Objects within objects whose entries are decoded one by one: model data keeps its lists two or three levels down."""

BLOCK = 1_024
"""Entries between two looks."""

_DECODER = json.JSONDecoder()
_SPACE = re.compile(r"[ \t\n\r]*+")


def loads(data: bytes) -> Any:
    """As json.loads. Raises ValueError for what is no JSON, RecursionError where it is nested too deeply."""
    if len(data) < LARGE:
        return json.loads(data)
    text = data.decode(json.detect_encoding(data), "surrogatepass")
    value, at = _value(text, _after_space(text, 0), 0)
    if at != len(text):
        raise ValueError(f"more after its end, at {at}")
    return value


def _after_space(text: str, at: int) -> int:
    found = _SPACE.match(text, at)
    return found.end() if found is not None else at


def _value(text: str, at: int, level: int) -> tuple[Any, int]:
    """(the value that begins at a place, where the next thing stands)."""
    head = text[at : at + 1]
    if level < LEVELS and head == "{":
        return _object(text, _after_space(text, at + 1), level + 1)
    if level < LEVELS and head == "[":
        return _list(text, _after_space(text, at + 1))
    value, at = _DECODER.raw_decode(text, at)
    return value, _after_space(text, at)


def _list(text: str, at: int) -> tuple[list[Any], int]:
    """A list from its first entry on. Each entry is decoded at once: it is the list that is long."""
    out: list[Any] = []
    while text[at : at + 1] != "]" or out:
        if not len(out) % BLOCK:
            look()
        value, at = _value(text, at, LEVELS)
        out.append(value)
        if not _goes_on(text, at, "]"):
            break
        at = _after_space(text, at + 1)
    return out, _after_space(text, at + 1)


def _object(text: str, at: int, level: int) -> tuple[dict[str, Any], int]:
    """An object from its first key on."""
    out: dict[str, Any] = {}
    while text[at : at + 1] != "}" or out:
        if not len(out) % BLOCK:
            look()
        key, at = _value(text, at, LEVELS)
        if not isinstance(key, str) or text[at : at + 1] != ":":
            raise ValueError(f"no key, or no colon after it, at {at}")
        out[key], at = _value(text, _after_space(text, at + 1), level)
        if not _goes_on(text, at, "}"):
            break
        at = _after_space(text, at + 1)
    return out, _after_space(text, at + 1)


def _goes_on(text: str, at: int, end: str) -> bool:
    """Is there a further entry? Raises ValueError where neither a comma nor the end stands."""
    found = text[at : at + 1]
    if found not in (",", end) or not found:
        raise ValueError(f"a comma or {end} expected at {at}")
    return found == ","
