"""The one gate for text out of structured files: JSON and TOML, cleaned as they become values.

Nothing that comes through here can steer a terminal or change the direction of text, whichever way it leaves the program again. Lines of
logs pass the same cleaning in vocabulary.clean.
"""

from __future__ import annotations

import json
import re
import tomllib
from typing import Any

from stomion.errors import UnreadableInput
from stomion.vocabulary.clean import clean

MAX_DEPTH = 64
"""Levels of nesting in a table or a sheet; real ones have a dozen."""


def json_value(data: bytes, what: str) -> Any:
    """Decoded and cleaned. Raises UnreadableInput naming `what` it should have been."""
    try:
        return cleaned(json.loads(data))
    except (ValueError, RecursionError) as error:
        raise UnreadableInput(f"damaged JSON of {what}") from error


def toml_value(data: bytes) -> dict[str, Any]:
    """Decoded and cleaned. Raises UnreadableInput with the line where that is known."""
    try:
        found: dict[str, Any] = cleaned(tomllib.loads(data.decode("utf-8")))
        return found
    except UnicodeDecodeError as error:
        raise UnreadableInput("not UTF-8, which TOML is") from error
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line (\d+)", str(error))
        raise UnreadableInput(f"no TOML: {clean(str(error))}", place=int(line[1]) if line else None) from error
    except (ValueError, RecursionError) as error:
        raise UnreadableInput("nested too deeply, or with a number of thousands of digits") from error


def cleaned(value: Any, depth: int = 0) -> Any:
    """The same value with all its texts cleaned, keys too. Raises ValueError where it is nested too deeply."""
    if isinstance(value, str):
        return value if value.isascii() and value.isprintable() else clean(value)
    if depth > MAX_DEPTH and isinstance(value, dict | list):
        raise ValueError("nested too deeply")
    if isinstance(value, dict):
        return {cleaned(k): cleaned(v, depth + 1) for k, v in value.items()}
    if isinstance(value, list):
        return [cleaned(v, depth + 1) for v in value]
    return value
