"""Records written as elements over several lines: each element of one line becomes a field, so that they are read as records of fields are."""

from __future__ import annotations

import html
import re
from collections.abc import Sequence

_ELEMENT = re.compile(
    r"\s*<(?P<name>[A-Za-z][\w:.-]{0,40})(?P<more>\s[^<>]{0,400})?>(?P<value>[^<>]{1,2000})</(?P=name)\s?>\s*"
)
_TAG = re.compile(r"\s*<[/?!]?[A-Za-z][\w:.-]{0,40}(?P<more>\s[^<>]{0,800})?>\s*")
MOST_OF = 0.8
"""Of the lines those that are an element or a tag by themselves, at least."""
LEAST = 12


def is_tagged(lines: Sequence[str]) -> bool:
    """Are nearly all lines elements or tags by themselves, and half of them elements with nothing but text in them?"""
    full = [line for line in lines if line.strip()]
    elements = sum(_ELEMENT.fullmatch(line) is not None for line in full)
    tags = sum(_TAG.fullmatch(line) is not None for line in full)
    return len(full) >= LEAST and elements + tags >= MOST_OF * len(full) and 2 * elements >= len(full)


def untagged(line: str) -> str:
    """`<name>value</name>` as `name: value`; of a tag its attributes alone, so that one without any is an empty line."""
    element = _ELEMENT.fullmatch(line)
    if element is not None:
        more = f"; {element['more'].strip()}" if element["more"] else ""
        return f"{element['name']}: {html.unescape(element['value']).strip()}{more}"
    tag = _TAG.fullmatch(line)
    return line if tag is None else (tag["more"] or "").strip(" /")
