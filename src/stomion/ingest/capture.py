"""Captures, pcap and pcapng: only what can be IKE, ESP or an ICMP refusal of it is taken apart; the rest is stepped over.

The file framing is read here rather than by dpkt, which stops at a truncated record without saying so and takes the
first interface's link type for all (docs/adr/0003-capture-framing.md); dpkt reads the packet headers.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from struct import Struct, error
from typing import BinaryIO

from stomion.case.evidence import Capture, EspFlow
from stomion.errors import Malformed, Truncated, UnreadableInput
from stomion.ingest.files import open_input
from stomion.ingest.fragments import Reassembler
from stomion.ingest.reading import Kind, Reading
from stomion.model.packet import Datagram, Unreachable
from stomion.model.provenance import Provenance
from stomion.space.services import TCP, UDP
from stomion.wire.packets import ESP, IpPacket, read_ip, read_tcp, read_udp, read_unreachable

MAX_PACKET = 1 << 20
"""Bytes of one captured packet; link layers end at 256 KiB."""
BATCH = 4096
IKE_PORTS = frozenset((500, 4500))

_PCAP_MAGIC = {
    b"\xd4\xc3\xb2\xa1": ("<", 1e6),
    b"\xa1\xb2\xc3\xd4": (">", 1e6),
    b"\x4d\x3c\xb2\xa1": ("<", 1e9),
    b"\xa1\xb2\x3c\x4d": (">", 1e9),
}
PCAPNG_MAGIC = b"\x0a\x0d\x0d\x0a"
MAX_SIZES = 2_000
"""Different sizes of ESP packets counted for one SPI; there are fewer than bytes in an Ethernet frame."""
MAGICS = (*_PCAP_MAGIC, PCAPNG_MAGIC)

_IP_AT = {101: 0, 12: 0, 14: 0, 228: 0, 229: 0, 0: 4, 108: 4}
"""Offset of the IP header for link types without a protocol field of their own (raw IP, loopback)."""
ETHERNET, SLL, SLL2 = 1, 113, 276
_PROTOCOL_AT = {ETHERNET: (12, 14), SLL: (14, 16), SLL2: (0, 20)}
_VLAN = frozenset((0x8100, 0x88A8, 0x9100))
LINK_TYPES = frozenset((*_IP_AT, *_PROTOCOL_AT))

NAT_T_PORT = 4500
"""IKE and ESP share it where addresses are translated on the way (RFC 3948)."""
NON_ESP_MARKER = b"\0\0\0\0"
"""Before an IKE message on that port; no SPI is 0 (RFC 3948 2.2)."""
_TCP_PORT = NAT_T_PORT.to_bytes(2, "big")

RawPacket = tuple[float, int, bytes]
"""(seconds since 1970, link type, bytes)."""


def read_capture(
    stream: BinaryIO, file: str, site: str | None, tick: Callable[[int], None] = lambda _: None
) -> tuple[Capture, UnreadableInput | None]:
    """All of a capture, and what stopped the reading early, if anything. `tick` gets the packet count per batch."""
    out = Capture(file, site)
    parts = Reassembler()
    trouble: UnreadableInput | None = None
    unknown: set[int] = set()
    try:
        for at, link, data in _packets(stream):
            out.packets += 1
            if not out.packets % BATCH:
                tick(out.packets)
            if link not in LINK_TYPES:
                unknown.add(link)
                continue
            _take(out, parts, at, link, data)
    except UnreadableInput as stop:
        trouble = stop
    for at, number, packet in parts.unfinished():
        take_packet(out, at, packet, Provenance(file, site, packet=number), more=True)
    out.datagrams.sort()
    out.cuts = _cuts(out, parts)
    if unknown and trouble is None:
        trouble = Malformed(f"link type {min(unknown)} is not known; its packets were left out")
    return out, trouble


def _cuts(out: Capture, parts: Reassembler) -> list[str]:
    """A line for every bound that left something of this capture out."""
    unsized = sum(flow.unsized for flow in out.esp.values())
    lines = (
        (parts.given_up, "datagrams in fragments are given up, as too many were open at once"),
        (out.streams.given_up, "TCP streams are given up, as too many were open at once"),
        (out.streams.left_out, "TCP segments that came long before their turn are left out"),
        (unsized, f"ESP packets are of more than {MAX_SIZES:,} sizes; they are counted and not compared by size"),
    )
    return [f"{count:,} {text}" for count, text in lines if count]


def _packets(stream: BinaryIO) -> Iterator[RawPacket]:
    magic = stream.read(4)
    if magic in _PCAP_MAGIC:
        yield from _pcap(stream, *_PCAP_MAGIC[magic])
    elif magic == PCAPNG_MAGIC:
        yield from _pcapng(stream)
    else:
        raise Malformed("no capture: its first bytes are of no known capture format", place=0)


def _exactly(stream: BinaryIO, size: int, what: str) -> bytes:
    data = stream.read(size)
    if len(data) < size:
        raise Truncated(f"ends inside {what}: {size} bytes expected, {len(data)} are there")
    return data


def _pcap(stream: BinaryIO, order: str, unit: float) -> Iterator[RawPacket]:
    head = _exactly(stream, 20, "the file header")
    link = Struct(order + "I").unpack_from(head, 16)[0] & 0xFFFF
    record = Struct(order + "IIII")
    count = 0
    read = stream.read
    while raw := read(16):
        count += 1
        if len(raw) < 16:
            raise Truncated(f"ends inside the header of packet {count}")
        seconds, fraction, size, _ = record.unpack(raw)
        if size > MAX_PACKET:
            raise Malformed(f"packet {count} claims {size} bytes, at most {MAX_PACKET} expected; the rest is not read")
        data = read(size)
        if len(data) < size:
            raise Truncated(f"ends inside packet {count}: {size} bytes expected, {len(data)} are there")
        yield seconds + fraction / unit, link, data


def _pcapng(stream: BinaryIO) -> Iterator[RawPacket]:
    order = _section_order(stream)
    interfaces: list[tuple[int, float]] = []
    count = 0
    while head := stream.read(8):
        if head[:4] == PCAPNG_MAGIC:
            order = _section_order(stream, head[4:])
            interfaces = []
            continue
        if len(head) < 8:
            raise Truncated("ends inside a block header")
        kind, size = Struct(order + "II").unpack(head)
        if size < 12 or size % 4 or size > MAX_PACKET + 4096:
            raise Malformed(f"a block claims {size} bytes after packet {count}; the rest is not read")
        body = _exactly(stream, size - 8, f"the block after packet {count}")[:-4]
        try:
            packet = _pcapng_block(kind, body, order, interfaces)
        except (error, IndexError) as damage:
            raise Malformed(f"damaged block after packet {count}") from damage
        if packet:
            count += 1
            yield packet


def _section_order(stream: BinaryIO, length: bytes | None = None) -> str:
    raw = length or _exactly(stream, 4, "the section header")
    mark = _exactly(stream, 4, "the section header")
    order = {b"\x4d\x3c\x2b\x1a": "<", b"\x1a\x2b\x3c\x4d": ">"}.get(mark)
    if order is None:
        raise Malformed("section header without a byte order mark")
    size: int = Struct(order + "I").unpack(raw)[0]
    if not 28 <= size <= MAX_PACKET:
        raise Malformed(f"section header claims {size} bytes")
    _exactly(stream, size - 12, "the section header")
    return order


def _pcapng_block(kind: int, body: bytes, order: str, interfaces: list[tuple[int, float]]) -> RawPacket | None:
    if kind == 1:
        link = Struct(order + "H").unpack_from(body)[0]
        interfaces.append((link, _resolution(body[8:], order)))
        return None
    if kind == 6:
        number, high, low, size, _ = Struct(order + "IIIII").unpack_from(body)
        link, unit = interfaces[number]
        return ((high << 32) | low) / unit, link, body[20 : 20 + size]
    if kind == 3 and interfaces:
        size = Struct(order + "I").unpack_from(body)[0]
        return 0.0, interfaces[0][0], body[4 : 4 + min(size, len(body) - 4)]
    return None


def _resolution(options: bytes, order: str) -> float:
    """Time units per second (option 9 of an interface; microseconds where absent)."""
    at = 0
    pair = Struct(order + "HH")
    while at + 4 <= len(options):
        code, size = pair.unpack_from(options, at)
        if code == 0:
            break
        if code == 9 and size == 1:
            value = options[at + 4]
            return float(2 ** (value & 0x7F)) if value & 0x80 else float(10 ** min(value, 12))
        at += 4 + (size + 3 & ~3)
    return 1e6


def _take(out: Capture, parts: Reassembler, at: float, link: int, data: bytes) -> None:
    """Look at one packet as cheaply as may be; most are no IKE and are left after a few bytes."""
    if link == ETHERNET and len(data) > 37 and data[12] == 8 and data[13] == 0 and data[14] == 0x45:
        proto = data[23]
        if proto == 6:
            ports_at = 14 + (data[14] & 15) * 4
            if data[ports_at : ports_at + 2] != _TCP_PORT and data[ports_at + 2 : ports_at + 4] != _TCP_PORT:
                return
        if proto == 17 and not (data[20] & 0x3F or data[21]):
            sport, dport = data[34] << 8 | data[35], data[36] << 8 | data[37]
            if sport not in IKE_PORTS and dport not in IKE_PORTS:
                return
        ip_at = 14
    else:
        start = _ip_offset(link, data)
        if start is None:
            return
        ip_at = start
    where = Provenance(out.file, out.site, packet=out.packets)
    packet = data[ip_at:]
    whole = parts.feed(at, out.packets, packet)
    if whole is not None:
        take_packet(out, at, whole, where)


def _ip_offset(link: int, data: bytes) -> int | None:
    if link in _IP_AT:
        return _IP_AT[link]
    proto_at, ip_at = _PROTOCOL_AT[link]
    while len(data) >= ip_at + 20:
        proto = data[proto_at] << 8 | data[proto_at + 1]
        if proto in _VLAN:
            proto_at, ip_at = ip_at + 2, ip_at + 4
            continue
        return ip_at if proto in (0x0800, 0x86DD) else None
    return None


def take_packet(out: Capture, at: float, packet: bytes, where: Provenance, more: bool = False) -> None:
    """One IP packet: a message of IKE, a refusal of one, or a count of ESP; anything else is left."""
    ip = read_ip(packet)
    if ip is None:
        return
    if ip.protocol == UDP:
        _take_udp(out, at, ip, where, more)
    elif ip.protocol == TCP:
        _take_tcp(out, at, ip, where)
    elif ip.protocol == ESP:
        _count_esp(out, at, ip.src, ip.dst, ip.body)
    elif (quoted := read_unreachable(ip)) is not None and quoted.dport in IKE_PORTS:
        out.unreachables.append(
            Unreachable(at, ip.src, quoted.src, quoted.dst, quoted.dport, quoted.port_closed, where)
        )


def _take_tcp(out: Capture, at: float, ip: IpPacket, where: Provenance) -> None:
    """IKE over TCP (RFC 9329); only streams that begin with its prefix, or are already known to be such."""
    tcp = read_tcp(ip.body)
    if tcp is None or NAT_T_PORT not in (tcp.sport, tcp.dport):
        return
    for message in out.streams.feed((ip.src, tcp.sport, ip.dst, tcp.dport), tcp.sequence, tcp.data):
        out.datagrams.append(Datagram(at, ip.src, tcp.sport, ip.dst, tcp.dport, message, where))


def _take_udp(out: Capture, at: float, ip: IpPacket, where: Provenance, more: bool) -> None:
    udp = read_udp(ip.body)
    if udp is None or not IKE_PORTS & {udp.sport, udp.dport}:
        return
    payload = udp.data
    if NAT_T_PORT in (udp.sport, udp.dport):
        if payload[:4] != NON_ESP_MARKER:
            if len(payload) > 8:
                _count_esp(out, at, ip.src, ip.dst, payload)
            return
        payload = payload[4:]
    out.datagrams.append(Datagram(at, ip.src, udp.sport, ip.dst, udp.dport, payload, where, more, ip.ttl))


def _count_esp(out: Capture, at: float, src: str, dst: str, packet: bytes) -> None:
    spi, size = packet[:4], len(packet)
    key = (src, dst, spi.hex())
    flow = out.esp.get(key)
    if flow is None:
        flow = out.esp[key] = EspFlow(src, dst, spi.hex(), 0, at, at)
    flow.packets += 1
    flow.track.add(packet)
    flow.last = at
    if size in flow.sizes or len(flow.sizes) < MAX_SIZES:
        flow.sizes[size] = flow.sizes.get(size, 0) + 1
    else:
        flow.unsized += 1


def _read(reading: Reading) -> None:
    with open_input(reading.item.path) as stream:
        capture, trouble = read_capture(stream, reading.item.name, reading.item.site, reading.about)
    reading.evidence.captures.append(capture)
    reading.source("capture", capture.packets, "packets")
    if capture.datagrams:
        reading.years.note(capture.datagrams[0].at)
    for text in [*([trouble.what] if trouble is not None else []), *capture.cuts]:
        reading.problem(text)


CAPTURE = Kind("capture", lambda _item, head: head[:4] in MAGICS, _read)
