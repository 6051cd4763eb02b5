"""Lines that say the same of other addresses and numbers: what is known of one need not be found again for each of the others.

Addresses, SPIs and numbers of SAs are put away behind stand-ins of their kind and length, the same value behind the same one. What a
line with stand-ins says is worked out once; the values are put back into it for every line.
"""

from __future__ import annotations

import re
from functools import lru_cache

import msgspec
from msgspec.structs import replace

from stomion.model.event import Event
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import names_a_range

_VALUE = re.compile(
    r"[0-9a-f](?<![\w.].)(?:"
    r"(?:x[0-9a-f])?[0-9a-f]{7,}(?!\w|\.[0-9])"
    r"|(?<=[0-9])(?:[0-9]{0,2}(?:\.[0-9]{1,3}){3}(?![\w/]|\.[0-9])"
    r"|(?<=[\[|#{<].)[0-9]{0,8}(?=[\]}>:])(?<!500)"
    r"|(?<![/-].)[0-9]{2,6}(?=[ s])(?<!4500)(?<!\b500)())"
    r")"
)
"""Values as they are written: an SPI or a longer identifier, an address, a number in brackets, one that counts something (with the group
that tells so). It begins with the set of its first characters: such a pattern is skipped over quickly."""
_LONG = 8
"""Digits of an SPI; longer ones are cookies and identifiers."""
MOST = 90
"""Values of one line that there are stand-ins for."""
STAND_INS = "198.19.211."
"""Stand-ins for addresses (of the network for benchmarks, RFC 2544)."""
NETWORK = STAND_INS[:4]
"""How a stand-in begins, whatever mask is laid over it."""


@lru_cache(4_096)
def _is_host(text: str) -> bool:
    """An address that stands for itself: no mask, no network, and none that means nobody or this host."""
    parts = text.split(".")
    if len(parts) != 4 or any(len(p) > 3 or (p[0] == "0" and p != "0") or int(p) > 255 for p in parts):
        return False
    return parts[0] not in ("0", "127", "255") and int(parts[0]) < 224 and parts[3] not in ("0", "255")


_HOSTS = tuple(f"{STAND_INS}{101 + number}" for number in range(MOST))
_DIGITS = tuple(tuple(f"9{number:0{size - 1}d}" for number in range(MOST)) for size in range(3, 12))
_FEW_DIGITS = tuple(f"8{number:02d}" for number in range(MOST))


def _stand_in(text: str, number: int) -> str:
    """What stands for a value; empty where the value is to be left."""
    size = len(text)
    if "." in text:
        return _HOSTS[number] if _is_host(text) else ""
    if text.isdecimal():
        if size < 3:
            return _FEW_DIGITS[number]
        return _DIGITS[size - 3][number] if size < 12 else f"9{number:0{size - 1}d}"
    return f"fade{number:0{size - 4}d}" if size >= _LONG and not text.isalpha() else ""


class Marked(msgspec.Struct):
    """A line with stand-ins, the value behind each, whether some of them count something, and where in the line each stands for what."""

    text: str
    values: dict[str, str]
    counts: bool
    places: list[tuple[int, int, str]] = []


def mark(line: str, strict: bool = False) -> Marked | None:
    """The line with stand-ins for its values; None where it has too many. `strict` leaves numbers that count something: where a line
    names algorithms, they may be sizes of keys."""
    stands: dict[str, str] = {}
    values: dict[str, str] = {}
    places: list[tuple[int, int, str]] = []
    counts = False

    def put(m: re.Match[str]) -> str:
        nonlocal counts
        whole = text = m[0]
        stand = stands.get(text)
        if stand is not None:
            places.append((*m.span(), stand))
            return stand
        if m.lastindex is not None:
            if strict:
                return text
            counts = True
        prefix = ""
        if text[1:2] == "x":
            prefix, text = "0x", text[2:]
            stand = stands.get(text)
        if stand is None:
            stand = _stand_in(text, len(values)) if len(values) < MOST else ""
            if not stand:
                return whole
            stands[text] = stand
            values[stand] = text
        places.append((m.start() + len(prefix), m.end(), stand))
        return prefix + stand

    marked = _VALUE.sub(put, line)
    return Marked(marked, values, counts, places) if len(values) < MOST else None


_COARSE = bytes.maketrans(b"123456789abcdef", b"0" * 15)
"""Digits of any base as one: lines whose values have the same lengths become the same, but for words of these letters alone."""
_PORTS = ("500", "4500")
CUTS_KEPT = 65_536


class _Cut(msgspec.Struct):
    """How lines of one shape are cut, whose values have the same lengths: (begin, end, stand-in, is it decimal, is it an address) and what stands
    between them."""

    text: str
    values: list[tuple[int, int, str, bool, bool]]
    pieces: list[tuple[int, int, str]]

    def values_of(self, line: str) -> dict[str, str] | None:
        """The values of a line by their stand-ins; None where it is of another shape after all."""
        for begin, end, text in self.pieces:
            if line[begin:end] != text:
                return None
        found: dict[str, str] = {}
        for begin, end, stand, decimal, host in self.values:
            value = line[begin:end]
            if host:
                if not _is_host(value):
                    return None
            elif value.isdecimal() is not decimal or value.isalpha() or value in _PORTS:
                return None
            if found.setdefault(stand, value) != value:
                return None
        return found if len(set(found.values())) == len(found) else None


class Marker:
    """Marks the lines of one log, strictly: how a line is cut is found once for all of its shape and lengths."""

    def __init__(self) -> None:
        self._cuts: dict[bytes, _Cut] = {}

    def mark(self, line: str) -> Marked | None:
        """As `mark(line, strict=True)`, save that it says nothing of places."""
        # Bytes are translated many times faster than characters that are not all of ASCII.
        key = line.encode("utf-8", "replace").translate(_COARSE)
        cut = self._cuts.get(key)
        if cut is not None:
            values = cut.values_of(line)
            if values is not None:
                return Marked(cut.text, values, False)
        marked = mark(line, strict=True)
        if marked is not None:
            if len(self._cuts) >= CUTS_KEPT:
                self._cuts.clear()
            self._cuts[key] = _cut(line, marked)
        return marked


def _cut(line: str, marked: Marked) -> _Cut:
    values = [(begin, end, stand, line[begin:end].isdecimal(), "." in stand) for begin, end, stand in marked.places]
    edges = [0, *(edge for begin, end, _ in marked.places for edge in (begin, end)), len(line)]
    pieces = [(begin, end, line[begin:end]) for begin, end in zip(edges[::2], edges[1::2], strict=True)]
    return _Cut(marked.text, values, pieces)


def _placed(marked: Marked) -> int:
    """How many stand-ins were put into a line."""
    return sum(m[0].removeprefix("0x") in marked.values for m in _VALUE.finditer(marked.text))


class Shape(msgspec.Struct):
    """What all lines of one kind say. `event` has stand-ins, `None` where they say nothing; `gaps` are its fields with any, in pieces."""

    event: Event | None
    gaps: tuple[tuple[str, tuple[str, ...]], ...] = ()
    port: str = ""
    """The stand-in for the peer's port."""
    usable: bool = True
    strict: bool = False
    """Are lines to be marked once more, without numbers that count something?"""
    checked: int = 0
    """Lines that were read in full as well, and gave the same."""


UNUSABLE = Shape(None, usable=False)
_TEXTS = ("peer", "own", "conn", "sa")


def shape_of(marked: Marked, event: Event | None) -> Shape:
    """How the event of a marked line is made of its values; UNUSABLE where it can't be told."""
    stands = marked.values
    if sum(map(marked.text.count, stands)) != _placed(marked) or names_a_range(marked.text):
        return UNUSABLE
    if event is None:
        return Shape(None)
    if any(text.startswith(NETWORK) for text in event.my_ts + event.their_ts):
        # A mask was laid over a stand-in.
        return UNUSABLE
    cut = re.compile("(" + "|".join(map(re.escape, stands)) + ")") if stands else None
    gaps = [
        (name, tuple(filter(None, cut.split(text))))
        for name in _TEXTS
        if cut and (text := getattr(event, name)) and cut.search(text)
    ]
    port = str(event.peer_port) if event.peer_port is not None else ""
    names = "".join(event.identities)
    if cut and cut.search(names):
        return UNUSABLE
    return Shape(event, tuple(gaps), port if port in stands else "")


def filled(shape: Shape, marked: Marked, line: str, where: Provenance) -> Event | None:
    """The event of a line of this shape."""
    event, values = shape.event, marked.values
    if event is None:
        return None
    changed: dict[str, object] = {"where": where, "text": line}
    for name, parts in shape.gaps:
        changed[name] = values[parts[0]] if len(parts) == 1 else "".join([values.get(part, part) for part in parts])
    if event.spis:
        changed["spis"] = tuple([values.get(spi, spi) for spi in event.spis])
    if shape.port:
        changed["peer_port"] = int(values[shape.port])
    return replace(event, **changed)
