"""Logs that write IPv4 addresses as eight hexadecimal digits: which of such words are addresses is told by the log as a whole."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable
from ipaddress import IPv4Address

from stomion.vocabulary.addresses import ADDRESS

_WORD = re.compile(r"(?<![0-9A-Za-z_.:-])(?:0x)?([0-9a-f]{8})(?![0-9A-Za-z_-]|[.:]\w)", re.IGNORECASE)
_NETWORK = re.compile(
    r"(?<![0-9A-Za-z_.:-])(?:0x)?([0-9a-f]{8})/(?:(?:0x)?(f{2,8}[0-9a-f]{0,6})|(\d{1,2}))(?![0-9A-Za-z_-]|[.:]\w)",
    re.IGNORECASE,
)
_LABELLED = re.compile(
    r"(?<![A-Za-z])((?:peer|remote|local|own|src|dst|from|to|addr(?:ess)?|ip|gw|host|far|near)[ =:\"]{1,3})(?:0x)?([0-9a-f]{8})(?![0-9A-Za-z_-]|[.:]\w)",
    re.IGNORECASE,
)
LEAST_LINES = 3
SHARE = 0.2
"""Of the lines with such words those with one that is an address, at least: an SPI stands in two or three, a peer in all of its own."""
DOTTED = 0.05
"""Of all lines those with an address in decimal numbers, at most."""


def in_decimal(texts: Iterable[str]) -> Callable[[str], str] | None:
    """What writes the hexadecimal addresses of a log's lines in decimal numbers; None where it has none."""
    lines = list(texts)
    if sum(ADDRESS.search(text) is not None for text in lines) > DOTTED * len(lines):
        return None
    words = [{word.lower() for word in _WORD.findall(text)} for text in lines]
    with_words = sum(map(bool, words))
    counted = Counter(word for found in words for word in found)
    known = {w for w, n in counted.items() if n >= LEAST_LINES and n >= SHARE * with_words and _is_host(w)}
    if not known:
        return None
    known |= _in_their_places(lines, known)

    def decimal(text: str) -> str:
        text = _NETWORK.sub(_network, text)
        text = _LABELLED.sub(lambda m: m[1] + _dotted(m[2]) if _is_host(m[2]) else m[0], text)
        return _WORD.sub(lambda m: _dotted(m[1]) if m[1].lower() in known else m[0], text)

    return decimal


def _in_their_places(lines: Iterable[str], known: Collection[str]) -> set[str]:
    """Words that may be addresses and stand only where known ones do: after the same word."""
    places: dict[str, set[str]] = {}
    for text in lines:
        for m in _WORD.finditer(text):
            places.setdefault(m[1].lower(), set()).add(_before(text, m.start()))
    theirs = {place for word in known for place in places[word] if place}
    return {word for word, found in places.items() if found <= theirs and _is_host(word)}


def _before(text: str, at: int) -> str:
    """The word before a place in a line; empty where there is none, or where it is no word."""
    found = _LAST_WORD.search(text[max(at - MOST_BEFORE, 0) : at])
    return found[0].lower() if found else ""


MOST_BEFORE = 32
_LAST_WORD = re.compile(r"[A-Za-z][A-Za-z_.-]*[ =:(\[\"]{1,3}$")


def _dotted(word: str) -> str:
    return str(IPv4Address(int(word, 16)))


def _is_host(word: str) -> bool:
    """May a word be the address of a gateway?"""
    address = IPv4Address(int(word, 16))
    return not (
        address.is_loopback
        or address.is_multicast
        or address.is_unspecified
        or word[:2].lower() >= "e0"
        or word[:2] == "00"
    )


def _network(m: re.Match[str]) -> str:
    length = m[3] if m[3] else _dotted(m[2].ljust(8, "0"))
    return f"{_dotted(m[1])}/{length}"
