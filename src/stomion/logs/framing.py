"""What stands around a message in structured logs: journal entries as JSON, and the header of RFC 5424.

Bare lines pass untouched. A frame that is damaged is taken as text too, so that nothing is lost by it.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

import msgspec

from stomion.vocabulary.times import rfc3339_seconds

MAX_ENTRY = 64 << 10
"""Bytes of a journal entry that is taken apart; a larger one is read as text."""


@dataclass(frozen=True, slots=True)
class Framed:
    """The message alone, and the time its frame names (seconds since 1970 UTC), None where it names none."""

    text: str
    at: float | None


class _Entry(msgspec.Struct):
    """The fields of a journal entry that matter here; a message of arbitrary bytes is a list of numbers."""

    message: str | list[int] | None = msgspec.field(name="MESSAGE", default=None)
    sent: str | None = msgspec.field(name="_SOURCE_REALTIME_TIMESTAMP", default=None)
    stored: str | None = msgspec.field(name="__REALTIME_TIMESTAMP", default=None)


_ENTRY = msgspec.json.Decoder(_Entry)
_HEADER = re.compile(
    r"<\d{1,3}>1 (?P<at>-|\S{1,40}) (?P<host>\S{1,255}) (?P<app>\S{1,48}) (?P<pid>\S{1,128}) (?P<id>\S{1,32}) (?=-|\[)"
)
_ELEMENT = re.compile(r"\[[^\s\]\"=]{1,32}(?: [^\s\]\"=]{1,32}=\"(?:[^\"\\\]]|\\.){0,2048}\"){0,64}\]")
MAX_ELEMENTS = 32


def unframe(line: str) -> Framed:
    """The message of a line and its frame's time. RFC 5424 section 6; journal entries in their JSON export form."""
    if line[:1] == "{" and '"MESSAGE"' in line and len(line) <= MAX_ENTRY:
        return _journal(line)
    if line[:1] == "<":
        header = _HEADER.match(line)
        if header:
            return Framed(_after_elements(line, header.end()), rfc3339_seconds(header["at"]))
    return Framed(line, None)


def _journal(line: str) -> Framed:
    try:
        entry = _ENTRY.decode(line.encode())
    except (msgspec.MsgspecError, RecursionError, UnicodeEncodeError):
        return Framed(line, None)
    text = entry.message
    if isinstance(text, list):
        text = bytes(b for b in text if 0 <= b < 256).decode("utf-8", "replace")
    micros = entry.sent or entry.stored or ""
    at = int(micros) / 1e6 if micros.isdecimal() and len(micros) < 18 else None
    return Framed((text or "").replace("\n", " "), at)


def _after_elements(line: str, at: int) -> str:
    """Past the structured data, which is `-` or elements in brackets (RFC 5424 section 6.3)."""
    if line[at] == "-":
        return line[at + 1 :].lstrip(" \ufeff")
    for _ in range(MAX_ELEMENTS):
        element = _ELEMENT.match(line, at)
        if element is None:
            break
        at = element.end()
    return line[at:].lstrip(" \ufeff")
