"""Words of the keys of a listing, and the shapes of its values."""

from __future__ import annotations

import re

from stomion.vocabulary.wordlists import word_sets

_SETS = word_sets("stomion.listings")


def _words(name: str) -> frozenset[str]:
    return frozenset(_SETS[name].rows)


IN = _words("in")
OUT = _words("out")
DIRECTIONS = _words("directions")
"""Words that alone say a direction."""
OWN = _words("own")
FAR = _words("far")
ENDS = _words("ends")
"""What a packet's ends are called: inbound ones come from the peer."""
LEFT = _words("left")
REKEY = _words("rekey")
AGE = _words("age")
COUNTED = _words("counted")
PACKETS = _words("packets")
OCTETS = _words("octets")
STATE = _words("state")
INTEGRITY = _words("integrity")
GROUP = _words("group")
CIPHER = _words("cipher")
CARRIED = _words("carried")
NETWORKS = _words("networks")
NAMES = _words("names")
WAYS = _words("ways")
SPI = re.compile(r"(?<!\w)(?:0x)?([0-9a-fA-F]{8})(?!\w)")
"""One that stands among words."""
SPI_VALUE = re.compile(r"(?<!\w)(?:0x)?([0-9a-fA-F]{6,8})\b")
"""One under a key that says so: leading zeros may be left out."""
DECIMAL_SPI = re.compile(r"\d{9,10}")
"""An SPI as a number: it has more digits than as a hexadecimal one."""
ADDRESS = re.compile(
    r"(?<![\w.:/])(?:\d{1,3}(?:\.\d{1,3}){3}|[0-9a-fA-F]*:[0-9a-fA-F:]+:[0-9a-fA-F]+)(?![\w:]|\.\d|/\d)"
)
DATE = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:?\d\d)?")
COUNT = re.compile(
    r"(?<!\w)(\d[\d,' ]{0,24})\s{0,8}(packets?|pkts?|bytes?|octets?|k?b\b|[kmg]ib\b|[kmg]b\b)", re.IGNORECASE
)
_PART = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")


def words_of(key: str) -> list[str]:
    """`bytesIn` -> bytes, in."""
    return [part.lower() for part in _PART.findall(key)]


def direction_of(words: list[str]) -> str:
    """`in` or `out`, by the last word that tells one; empty where none does."""
    return next(("in" if word in IN else "out" for word in reversed(words) if word in IN or word in OUT), "")
