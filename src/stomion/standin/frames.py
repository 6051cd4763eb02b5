"""Packets as they stand in a capture: UDP in IPv4 in Ethernet frames, and the two capture formats around them."""

from __future__ import annotations

import struct
from collections.abc import Sequence

ETHERNET = 1
SNAP_LENGTH = 65_535
Packet = tuple[float, bytes]
"""(seconds since 1970, frame)."""


def udp(src: str, sport: int, dst: str, dport: int, payload: bytes, ttl: int, ident: int) -> bytes:
    """A frame with one datagram; all checksums are right (RFC 768, RFC 791)."""
    ends = _packed(src) + _packed(dst)
    length = 8 + len(payload)
    head = struct.pack(">HHH", sport, dport, length)
    total = _checksum(ends + struct.pack(">HH", 17, length) + head + b"\0\0" + payload) or 0xFFFF
    body = head + struct.pack(">H", total) + payload
    plain = struct.pack(">BBHHHBBH", 0x45, 0, 20 + length, ident, 0, ttl, 17, 0) + ends
    packet = plain[:10] + struct.pack(">H", _checksum(plain)) + plain[12:] + body
    return b"\x02\0\0\0\0\x02" + b"\x02\0\0\0\0\x01" + b"\x08\0" + packet


def _checksum(data: bytes) -> int:
    total: int = sum(struct.unpack(f">{(len(data) + 1) // 2}H", data + b"\0" * (len(data) % 2)))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF


def _packed(address: str) -> bytes:
    return bytes(int(part) for part in address.split("."))


def pcap(packets: Sequence[Packet]) -> bytes:
    """A pcap file with microseconds."""
    out = [struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, SNAP_LENGTH, ETHERNET)]
    for at, data in packets:
        seconds, micros = divmod(round(at * 1_000_000), 1_000_000)
        out.append(struct.pack("<IIII", seconds, micros, len(data), len(data)) + data)
    return b"".join(out)


def pcapng(packets: Sequence[Packet]) -> bytes:
    """A pcapng file of one section and one interface, with microseconds."""
    out = [
        _block(0x0A0D0D0A, struct.pack("<IHHq", 0x1A2B3C4D, 1, 0, -1)),
        _block(1, struct.pack("<HHI", ETHERNET, 0, SNAP_LENGTH)),
    ]
    for at, data in packets:
        moment = round(at * 1_000_000)
        out.append(_block(6, struct.pack("<IIIII", 0, moment >> 32, moment & 0xFFFFFFFF, len(data), len(data)) + data))
    return b"".join(out)


def _block(kind: int, body: bytes) -> bytes:
    body += b"\0" * (-len(body) % 4)
    size = struct.pack("<I", len(body) + 12)
    return struct.pack("<I", kind) + size + body + size
