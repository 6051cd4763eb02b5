"""What stands around a message in structured logs: journal entries as JSON, and the header of RFC 5424.

Bare lines pass untouched. A frame that is damaged is taken as text too, so that nothing is lost by it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
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
    owner: str = ""
    """`key=value` of the record's field that names the tunnel or negotiation it belongs to; empty where it has none."""
    flat: bool = False
    """Is `text` made of the record's fields, and not a part of the line as it stands?"""


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


FRAMES = ("{", "<")
"""How a line begins that may have a frame."""


_BEFORE_IT = 120
"""Characters before an object of JSON in a line, at most: a relay's time, host and tag."""


def framed(line: str) -> Framed | None:
    """The message of a line that has a frame, at its beginning or after what a relay put before it; None where it has none."""
    if line[:1] in FRAMES:
        return unframe(line)
    if line[-1:] == "}" and (at := line.find('{"', 0, _BEFORE_IT)) > 0:
        found = unframe(line[at:])
        return found if found.flat or found.at is not None else None
    return None


def unframe(line: str) -> Framed:
    """The message of a line and its frame's time. RFC 5424 section 6; journal entries in their JSON export form."""
    if line[:1] == "{" and '"MESSAGE"' in line and len(line) <= MAX_ENTRY:
        return _journal(line)
    if line[:1] == "{" and line.rstrip()[-1:] == "}" and len(line) <= MAX_ENTRY:
        return _fields(line)
    if line[:1] == "<":
        header = _HEADER.match(line)
        if header:
            return _after_elements(line, header.end(), rfc3339_seconds(header["at"]), header["id"])
    return Framed(line, None)


OWNER = re.compile(
    r"(?:tun(?:nel)?|conn(?:ection)?|entry|link|session|sa|negotiation|policy|vpn|trunk|circuit|pair)_?(?:id|no|nr|num(?:ber)?|name|ref)?",
    re.IGNORECASE,
)
"""Fields that name whose record it is."""
_ASIDE = frozenset({
    "time", "at", "ts", "date", "host", "hostname", "gateway", "ref", "severity", "level", "gravity", "priority", "pid", "seq", "logger",
    "facility",
})  # fmt: skip
"""Last words of fields that say when, where and how urgent, in words that are no part of what happened."""
_SENTENCE = re.compile(r"\w+(?: [\w.,:%()'-]+){2,}")
_HUMPS = re.compile(r"(?<=[a-z])(?=[A-Z])")


_COUNTERS = frozenset(
    {"n", "no", "nr", "num", "idx", "index", "row", "line", "rec", "recno", "ms", "us", "ns", "millis", "epoch"}
)
"""Last words of fields whose numbers count records or time."""


def _aside(name: str, value: object = None) -> bool:
    last = name.lower().rpartition("_")[2]
    return last in _ASIDE or (last in _COUNTERS and isinstance(value, int))


def _fields(line: str) -> Framed:
    """A record as one object of JSON whose fact stands in a sentence: that first, then its other fields, each with its name."""
    try:
        entry = msgspec.json.decode(line.encode())
    except (msgspec.MsgspecError, RecursionError, UnicodeEncodeError):
        return Framed(line, None)
    leaves = dict(_leaves(entry)) if isinstance(entry, dict) else {}
    texts = {k: v for k, v in leaves.items() if isinstance(v, str)}
    sentence = max((k for k, v in texts.items() if _SENTENCE.match(v)), key=lambda k: len(texts[k]), default=None)
    owner = next((path for path, value in leaves.items() if path != sentence and _names_owner(path[-1], value)), None)
    owned = f"{owner[-1]}={leaves[owner]}" if owner is not None else ""
    if sentence is None:
        return Framed(line, None, owned)
    parts = [texts[sentence].rstrip(" .")]
    for path, value in leaves.items():
        names = [_HUMPS.sub("_", key) for key in path]
        if path not in (sentence, owner) and not (any(map(_aside, names)) or _aside(names[-1], value)):
            parts.append(f"{'_'.join(names[-_NAMED:])}={_plain(value)}")
    return Framed("; ".join(parts), None, owned, flat=True)


def _names_owner(key: str, value: object) -> bool:
    named = OWNER.fullmatch(_HUMPS.sub("_", key)) is not None
    return named and isinstance(value, str | int) and not isinstance(value, bool)


_NAMED = 2
"""Names of a nested field that say what it is: its own, and that of what it is of."""
_DEEPEST = 8


def _leaves(entry: dict[str, object], above: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], object]]:
    """(the names on the way to it, value) of all fields that are no objects."""
    for key, value in entry.items():
        if not isinstance(value, dict):
            yield (*above, str(key)), value
        elif len(above) < _DEEPEST:
            yield from _leaves(value, (*above, str(key)))


def _plain(value: object) -> str:
    return " ".join(map(str, value)) if isinstance(value, list) else str(value)


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


_REGISTERED = re.compile(r"\[(?:timeQuality|origin|meta)[ \]]")
"""Elements that speak of the message and its sender (RFC 5424 section 7)."""
_REASON = re.compile(r"(?:notice|notify|notification|reason|cause|error|result|verdict)=", re.IGNORECASE)
"""Fields without which a message may say nothing of why."""
_PARAMETER = re.compile(r" ([^\s\]\"=]{1,32})=\"((?:[^\"\\\]]|\\.){0,2048})\"")


def _after_elements(line: str, at: int, moment: float | None, kind: str) -> Framed:
    """The message past the structured data, which is `-` or elements in brackets (RFC 5424 section 6.3), and what these name."""
    if line[at] == "-":
        return Framed(line[at + 1 :].lstrip(" \ufeff"), moment)
    owner, parts = "", []
    for _ in range(MAX_ELEMENTS):
        element = _ELEMENT.match(line, at)
        if element is None:
            break
        for name, value in _PARAMETER.findall(element[0]) if not _REGISTERED.match(element[0]) else ():
            if not owner and OWNER.fullmatch(name):
                owner = f"{name}={value}"
            elif not _aside(name) and value:
                parts.append(f"{name}={value}")
        at = element.end()
    message = line[at:].lstrip(" \ufeff")
    if not message.strip():
        # All that there is to say stands in the fields, under the name of the message's kind.
        message = "" if kind == "-" else kind
        return Framed("; ".join([message, *parts]), moment, owner)
    told = parts and (owner or any(map(_REASON.match, parts)))
    return Framed("; ".join([message.rstrip(" ."), *parts]) if told else message, moment, owner)
