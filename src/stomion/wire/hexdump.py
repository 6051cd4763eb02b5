"""Hex dumps as consoles print them: with or without offsets, in any grouping, with characters beside; several packets in one paste.

What tells an offset from bytes is arithmetic: it is how many bytes came before it, and 0 where a packet begins. Text that is no dump parts
packets and stands as the heading of the one that follows.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field

MOST_BESIDE_AN_OFFSET = 64
"""Bytes that a line with an offset may hold; consoles print 8, 16 or 32."""
MOST_ALONE = 1 << 16
"""Bytes of one packet, which may well stand on one line."""
FEWEST_ALONE = 4
"""Bytes that a line without an offset must hold to begin a dump: `add dead` is no packet."""
SMALLEST_MESSAGE = 28
"""Bytes of an IKE header (RFC 7296 3.1): a shorter dump holds no message."""
_USUAL = (8, 16, 24, 32)
_PAIRS = re.compile(r"(?:[0-9a-fA-F]{2})+")
_PARTED = re.compile(r"[0-9a-fA-F]{2}(?:[:.-][0-9a-fA-F]{2})+")
_PREFIXED = re.compile(r"0x([0-9a-fA-F]{2}),?")
_OFFSET = re.compile(r"(?:0x)?([0-9a-fA-F]{3,8})(:?)")
_TEXT_BESIDE = re.compile(r"\s{2,64}(?=\S{0,64}[^0-9a-fA-F\s])|\s{0,64}\|")


@dataclass(slots=True)
class Dump:
    """The bytes of one packet or message; `line` is its first, counted from 1, `heading` the text right above it."""

    line: int
    heading: str = ""
    offsets: bool = False
    data: bytearray = field(default_factory=bytearray)


def dumps_of(lines: Iterable[str]) -> list[Dump]:
    """All dumps of a text in their order; what is none is left out."""
    found: list[Dump] = []
    current: Dump | None = None
    heading = ""
    for number, line in enumerate(lines, 1):
        offset, data = _row(line, current)
        if data is None:
            if offset is None:
                heading, current = line.strip() or heading, None
            continue
        if current is None or (offset is None) is current.offsets or (offset == 0 and current.data):
            current = Dump(number, heading, offset is not None)
            found.append(current)
            heading = ""
        elif offset is not None and offset < len(current.data):
            # Characters beside the bytes may look like bytes: the next line's offset tells.
            del current.data[offset:]
        current.data += data
    return found


def _row(line: str, current: Dump | None) -> tuple[int | None, bytes | None]:
    """(offset, bytes) of a line of a dump; neither where it is none. A last line may hold an offset alone."""
    first, *rest = line.split(maxsplit=1) or [""]
    body = rest[0] if rest else ""
    offset = _offset(first, body, current)
    if offset is not None:
        return offset, _bytes(body, MOST_BESIDE_AN_OFFSET)
    data = _bytes(line.strip(), MOST_ALONE)
    begun = current is not None and not current.offsets
    return None, data if data is not None and (begun or len(data) >= FEWEST_ALONE) else None


def _offset(word: str, body: str, current: Dump | None) -> int | None:
    """A line's first word where it counts the bytes before it: by its colon, or by its value."""
    match = _OFFSET.fullmatch(word)
    if match is None or (current is not None and not current.offsets and not match[2]):
        return None
    value, before = int(match[1], 16), len(current.data) if current is not None else 0
    if match[2]:
        return value if value in (0, before) or before - MOST_BESIDE_AN_OFFSET <= value < before else None
    if not body:
        return value if before and value == before else None
    if value == 0:
        beside = _bytes(body, MOST_BESIDE_AN_OFFSET)
        return 0 if beside is not None and (before or len(beside) in _USUAL) else None
    return value if before - MOST_BESIDE_AN_OFFSET <= value <= before else None


def _bytes(body: str, most: int) -> bytes | None:
    """The bytes that a line's words stand for, without the characters beside them; None where they are none, or too many."""
    out = bytearray()
    for word in _TEXT_BESIDE.split(body, maxsplit=1)[0].split():
        prefixed = _PREFIXED.fullmatch(word)
        plain = prefixed[1] if prefixed else re.sub("[:.-]", "", word) if _PARTED.fullmatch(word) else word
        if not _PAIRS.fullmatch(plain) or len(out) + len(plain) // 2 > most:
            return None
        out += bytes.fromhex(plain)
    return bytes(out) or None
