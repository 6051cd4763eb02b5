"""The one gate for text out of structured files: JSON and TOML, cleaned as they become values.

Nothing that comes through here can steer a terminal or change the direction of text, whichever way it leaves the program again. Lines of
logs pass the same cleaning in vocabulary.clean.
"""

from __future__ import annotations

import re
import tomllib
from typing import Any

from stomion.errors import UnreadableInput
from stomion.ingest import pieces
from stomion.ingest.stoppable import look, looking_at_calls
from stomion.vocabulary.clean import one_line

MOST_OBJECTS, MOST_VALUES = 1_000_000, 6_000_000
"""Of one file of JSON: each costs some hundred bytes of memory, however short it is written."""
MAX_DEPTH = 64
"""Levels of nesting in a table or a sheet; real ones have a dozen."""


def json_value(data: bytes, what: str) -> Any:
    """Decoded and cleaned. Raises UnreadableInput naming `what` it should have been."""
    if data.count(b"{") + data.count(b"[") > MOST_OBJECTS or data.count(b",") > MOST_VALUES:
        raise UnreadableInput(
            f"more than {MOST_OBJECTS:,} objects or {MOST_VALUES:,} values, which no table of {what} has"
        )
    try:
        return cleaned(pieces.loads(data))
    except (ValueError, RecursionError) as error:
        raise UnreadableInput(f"damaged JSON of {what}") from error


def toml_value(data: bytes) -> dict[str, Any]:
    """Decoded and cleaned. Raises UnreadableInput with the line where that is known."""
    deep = next(
        (n for n, line in enumerate(data.split(b"\n"), 1) if line.count(b".") > MAX_PARTS and _is_deep(line)), 0
    )
    if deep:
        raise UnreadableInput(f"a key of more than {MAX_PARTS} parts", place=deep)
    try:
        text = data.decode("utf-8")
        if len(data) < pieces.LARGE:
            return _cleaned_table(tomllib.loads(text))
        with looking_at_calls():
            return _cleaned_table(tomllib.loads(text))
    except UnicodeDecodeError as error:
        raise UnreadableInput("not UTF-8, which TOML is") from error
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line (\d+)", str(error))
        raise UnreadableInput(f"no TOML: {one_line(str(error))}", place=int(line[1]) if line else None) from error
    except (ValueError, RecursionError) as error:
        raise UnreadableInput("nested too deeply, or with a number of thousands of digits") from error


def _cleaned_table(value: dict[str, Any]) -> dict[str, Any]:
    found: dict[str, Any] = cleaned(value)
    return found


MAX_PARTS = 32
"""Parts of a dotted key; each costs the parser as much as all before it."""


def _is_deep(line: bytes) -> bool:
    """Do the dots stand in a key or a table's name, and not in a value?"""
    key = line.lstrip().partition(b"=")[0] if not line.lstrip().startswith(b"[") else line
    return key.count(b".") > MAX_PARTS


def cleaned(value: Any, depth: int = 0) -> Any:
    """The value with all its texts cleaned, keys too; what holds others is changed in place. Raises ValueError where it is nested too
    deeply."""
    if isinstance(value, str):
        return value if _is_clean(value) else one_line(value)
    if depth > MAX_DEPTH and isinstance(value, dict | list):
        raise ValueError("nested too deeply")
    if isinstance(value, dict):
        if not all(map(_is_clean, value)):
            value = {one_line(k): v for k, v in value.items()}
        for key, one in value.items():
            if not isinstance(one, int | float):
                value[key] = cleaned(one, depth + 1)
    elif isinstance(value, list):
        for place, one in enumerate(value):
            if not place % pieces.BLOCK:
                look()
            if not isinstance(one, int | float):
                value[place] = cleaned(one, depth + 1)
    return value


def _is_clean(text: str) -> bool:
    return text.isascii() and text.isprintable()
