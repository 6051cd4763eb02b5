"""Hex dumps of packets, pasted from a console into a file of the case: a small capture."""

from __future__ import annotations

from stomion.case.evidence import Capture
from stomion.ingest.capture import IKE_PORTS, take_packet
from stomion.ingest.files import open_input
from stomion.ingest.item import Item
from stomion.ingest.nothing import is_text
from stomion.ingest.reading import Kind, Reading
from stomion.logs.timestamps import find_stamp
from stomion.model.packet import Datagram
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import read_addresses
from stomion.vocabulary.clean import clean
from stomion.wire.hexdump import SMALLEST_MESSAGE, Dump, dumps_of
from stomion.wire.ike import decode

MAX_PASTE = 8 << 20
"""Bytes of a file of dumps; a console's scrollback ends far below."""


def _fits(_item: Item, head: bytes) -> bool:
    """Mostly rows of dumps, and a packet among them: a log that prints some packets is a log."""
    if not is_text(head):
        return False
    lines = head[:16_384].decode("latin-1").splitlines()
    found = [d for d in dumps_of(lines) if len(d.data) >= SMALLEST_MESSAGE]
    rows = sum(-(-len(d.data) // 16) for d in found)
    return rows * 2 >= sum(1 for line in lines if line.strip()) and any(map(_is_ike, found))


def _is_ike(dump: Dump) -> bool:
    capture = Capture("", None)
    take_packet(capture, 0.0, bytes(dump.data), Provenance(""))
    if capture.datagrams:
        return True
    message = decode(bytes(dump.data))
    return message.header is not None and message.header.length <= len(dump.data) and message.header.major in (1, 2)


def _read(reading: Reading) -> None:
    item = reading.item
    with open_input(item.path) as stream:
        data = stream.read(MAX_PASTE + 1)
    if len(data) > MAX_PASTE:
        reading.problem(f"longer than {MAX_PASTE >> 20} MiB, which no pasted dump is; the rest is not read")
    capture = Capture(item.name, item.site)
    year = reading.years.year_for(item.path)
    timeless = nowhere = 0
    for number, dump in enumerate(dumps_of(data[:MAX_PASTE].decode("latin-1").splitlines()), 1):
        if len(dump.data) < SMALLEST_MESSAGE:
            continue
        heading = clean(dump.heading)
        stamp = find_stamp(heading, year=year)
        timeless += stamp is None
        where = Provenance(item.name, item.site, line=dump.line)
        capture.packets += 1
        nowhere += not _taken(
            capture, stamp.at if stamp is not None else float(number), bytes(dump.data), heading, where
        )
    if timeless:
        reading.problem(f"{timeless:,} packets without a time above them; they stand in the order of the paste")
    if nowhere:
        reading.problem(f"{nowhere:,} messages without addresses, in the dump or above it; stomion decode shows them")
    reading.evidence.captures.append(capture)
    reading.source("hex dump", capture.packets, "packets")


def _taken(capture: Capture, at: float, data: bytes, heading: str, where: Provenance) -> bool:
    """A packet with its headers, else a bare message between the two addresses that its heading names."""
    before = len(capture.datagrams)
    take_packet(capture, at, data, where)
    if len(capture.datagrams) > before:
        return True
    ends = read_addresses(heading).endpoints[:2]
    if len(ends) != 2:
        return False
    (src, sport), (dst, dport) = ends
    ports = sport or min(IKE_PORTS), dport or min(IKE_PORTS)
    capture.datagrams.append(Datagram(at, src, ports[0], dst, ports[1], data, where))
    return True


DUMP = Kind("hex dump", _fits, _read)
