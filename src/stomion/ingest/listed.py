"""State output as pasted: what any make lists of its SAs, into the evidence."""

from __future__ import annotations

import re

from stomion.ingest.files import open_input
from stomion.ingest.item import Item
from stomion.ingest.nothing import is_text
from stomion.ingest.reading import Kind, Reading
from stomion.listings.reader import Listed, listed_of
from stomion.vocabulary.clean import clean
from stomion.vocabulary.keydumps import without_key_dumps

MOST_BYTES = 4 << 20
"""Of a listing; what stands beyond is not read."""
MOST_LISTED = 5_000
LOOKED_AT = 8_192
"""Bytes by which a listing is known: it begins at the top."""
_STAMP = re.compile(
    rb"(?!\s*\d{1,3}(?:\.\d{1,3}){3}(?!\.?\d))(?:<\d+>)?\s*(?:\[?\d{2,4}[-/.:]\d\d[-/.:]\d|\[?[A-Z][a-z]{2} +\d|\[?\d{9,})"
)
_WORDS = (b"spi", b"state", b"status", b"peer", b"tunnel", b"child", b"connection", b"inbound", b"packets", b"bytes")
_SPI = re.compile(rb"(?<!\w)(?:0x)?(?=[0-9a-fA-F]*\d)[0-9a-fA-F]{8}(?!\w)")
_TELLING = ("packets_in", "packets_out", "bytes_in", "age_s", "expires_in_s", "rekey_in_s")


def _fits(item: Item, head: bytes) -> bool:
    """Is it a listing and no log? Its records fill most of it, most have a state or SPIs that are understood, and one tells how an SA
    fares."""
    head = head[:LOOKED_AT]
    low = head.lower()
    told = sum(word in low for word in _WORDS) > 1 or len(_SPI.findall(head)) > 1
    if not item.site or not told or _is_stamped(head) or not is_text(head):
        return False
    found = listed_of(_text(head), item.name, item.site)
    known = sum(one.sa.state is not None or bool(one.sa.spi_in) for one in found)
    if not found or 2 * known < len(found):
        return False
    return (any(map(_tells, found)) or _are_states(head, found)) and _is_filled(head, found)


_STATE = re.compile(rb"\b(?:state|status|condition)\b", re.IGNORECASE)
_TUNNELS = re.compile(rb"\b(?:tunnels?|ipsec|vpns?|ike|child)\b", re.IGNORECASE)
LINES_OF_A_STATE = 6
"""Lines that a tunnel without an SA has at the most in a listing that tells of none with one."""


def _are_states(head: bytes, found: list[Listed]) -> bool:
    """Tunnels of which none stands: is each told once, by its peer and a known state, and little else?"""
    lines = sum(bool(line.strip()) for line in head.split(b"\n"))
    if not (_STATE.search(head) and _TUNNELS.search(head)) or lines > LINES_OF_A_STATE * (len(found) + 1):
        return False
    peers = {one.peers[0] for one in found if one.sa.state is not None and len(one.peers) == 1}
    return len(peers) == len(found) and all(head.count(peer.encode()) == 1 for peer in peers)


def _is_stamped(head: bytes) -> bool:
    """Do most of its lines begin with a time, as a log's do? That is seen much sooner than what they tell."""
    lines = [line for line in head.split(b"\n")[:20] if line.strip()]
    return 2 * sum(_STAMP.match(line) is not None for line in lines) > len(lines)


def _tells(one: Listed) -> bool:
    return bool(one.sa.spi_in and one.sa.spi_out) and sum(getattr(one.sa, name) is not None for name in _TELLING) > 1


def _is_filled(head: bytes, found: list[Listed]) -> bool:
    """A log with a listing in between is a log: most lines are of no record there."""
    lines = sum(bool(line.strip()) for line in head.split(b"\n"))
    first = min(one.sa.where.line or 1 for one in found if one.sa.where is not None)
    return first <= 12 and lines <= 40 * len(found) + 20


def _text(data: bytes) -> str:
    return "\n".join(without_key_dumps(map(clean, data.decode("utf-8", "replace").replace("\r\n", "\n").split("\n"))))


def _read(reading: Reading) -> None:
    item = reading.item
    with open_input(item.path) as stream:
        data = stream.read(MOST_BYTES + 1)
    if len(data) > MOST_BYTES:
        reading.problem(f"only its first {MOST_BYTES >> 20} MiB are read")
    found = listed_of(_text(data[:MOST_BYTES]), item.name, item.site or "")
    if len(found) > MOST_LISTED:
        reading.problem(f"more than {MOST_LISTED:,} SAs; the rest is not read")
    reading.evidence.listed.extend(found[:MOST_LISTED])
    reading.source("SA listing", len(found), "SAs")


LISTED = Kind("SA listing", _fits, _read)
