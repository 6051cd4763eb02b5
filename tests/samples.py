"""Messages built for tests, and packets around them."""

from __future__ import annotations

import struct

from stomion.wire.ike import Header, Message, Payload, encode
from stomion.wire.ike import bodies as b
from stomion.wire.ike.attributes import Attribute
from stomion.wire.ike.sa_v1 import ProposalV1, SaV1, TransformV1
from stomion.wire.ike.sa_v2 import SaV2, Transform, WireProposal

SPI_I, SPI_R = bytes.fromhex("4f0c1d77a03e91e2"), bytes.fromhex("21a0b3c4d5e6f708")


def suite(*groups: int, bits: int = 256) -> SaV2:
    transforms = (Transform(1, 12, (Attribute(14, bits),)), Transform(2, 5), Transform(3, 12))
    return SaV2((WireProposal(1, 1, b"", transforms + tuple(Transform(4, g) for g in groups)),))


def init_request(*groups: int, spi: bytes = SPI_I, nonce: bytes = b"n" * 32, bits: int = 256) -> bytes:
    payloads = (
        Payload(33, suite(*groups, bits=bits)),
        Payload(34, b.KeV2(groups[0], 0, b"\x42" * 256)),
        Payload(40, b.Opaque(nonce)),
        Payload(41, b.Notify(None, 0, b"", 16388, b"\1" * 20)),
    )
    return encode(Message(Header(spi, b"\0" * 8, 0, 0x20, 34, 0x08, 0, 0), payloads))


def init_answer(group: int, spi: bytes = SPI_I) -> bytes:
    payloads = (
        Payload(33, suite(group)),
        Payload(34, b.KeV2(group, 0, b"\x43" * 256)),
        Payload(40, b.Opaque(b"m" * 32)),
    )
    return encode(Message(Header(spi, SPI_R, 0, 0x20, 34, 0x20, 0, 0), payloads))


def refusal(kind: int, data: bytes = b"", spi: bytes = SPI_I) -> bytes:
    notify = Payload(41, b.Notify(None, 0, b"", kind, data))
    return encode(Message(Header(spi, b"\0" * 8, 0, 0x20, 34, 0x20, 0, 0), (notify,)))


def sealed(exchange: int, flags: int, size: int, ident: int = 1, spi: bytes = SPI_I) -> bytes:
    return encode(
        Message(Header(spi, SPI_R, 0, 0x20, exchange, flags, ident, 0), (Payload(46, b.Sealed(b"\x5a" * size)),))
    )


def main_mode(encryption: int = 7, bits: int = 128, hash_: int = 4, group: int = 0x13) -> bytes:
    attributes = (
        Attribute(1, encryption),
        Attribute(14, bits),
        Attribute(2, hash_),
        Attribute(4, group),
        Attribute(3, 1),
        Attribute(11, 1),
        Attribute(12, 0x7080, bytes.fromhex("00007080")),
    )
    sa = SaV1(1, 1, (ProposalV1(1, 1, b"", (TransformV1(1, 1, attributes),)),))
    vendor = Payload(13, b.Opaque(bytes.fromhex("afcad71368a1f1c96b8696fc77570100")))
    return encode(Message(Header(SPI_I, b"\0" * 8, 0, 0x10, 2, 0, 0, 0), (Payload(1, sa), vendor)))


def udp4(src: str, dst: str, payload: bytes, sport: int = 500, dport: int = 500, ttl: int = 64) -> bytes:
    """An IPv4 packet without link layer."""
    body = struct.pack(">HHHH", sport, dport, 8 + len(payload), 0) + payload
    packed = [bytes(int(x) for x in a.split(".")) for a in (src, dst)]
    head = struct.pack(">BBHHHBBH", 0x45, 0, 20 + len(body), 7, 0, ttl, 17, 0)
    return head + packed[0] + packed[1] + body


def unreachable4(reporter: str, dst: str, quoted: bytes, code: int) -> bytes:
    """An ICMP message of a router that it could not deliver a packet (RFC 792: type 3)."""
    body = struct.pack(">BBHI", 3, code, 0, 0) + quoted[:28]
    packed = [bytes(int(x) for x in a.split(".")) for a in (reporter, dst)]
    return struct.pack(">BBHHHBBH", 0x45, 0, 20 + len(body), 7, 0, 64, 1, 0) + packed[0] + packed[1] + body


def udp6(src: bytes, dst: bytes, payload: bytes, port: int = 500) -> bytes:
    body = struct.pack(">HHHH", port, port, 8 + len(payload), 0) + payload
    return struct.pack(">IHBB", 0x60000000, len(body), 17, 64) + src + dst + body


def ethernet(packet: bytes, *vlans: int) -> bytes:
    kind = 0x0800 if packet[0] >> 4 == 4 else 0x86DD
    tags = b"".join(struct.pack(">HH", 0x8100, v) for v in vlans)
    return b"\2" * 12 + tags + struct.pack(">H", kind) + packet


def pcap(
    packets: list[bytes], link: int = 1, start: float = 1_777_880_000.0, order: str = "<", nano: bool = False
) -> bytes:
    magic = 0xA1B23C4D if nano else 0xA1B2C3D4
    out = struct.pack(order + "IHHiIII", magic, 2, 4, 0, 0, 65535, link)
    for index, data in enumerate(packets):
        out += struct.pack(order + "IIII", int(start) + index, 5000, len(data), len(data)) + data
    return out


def pcapng(packets: list[tuple[int, bytes]], links: tuple[int, ...] = (1,), order: str = "<") -> bytes:
    def block(kind: int, body: bytes) -> bytes:
        body += b"\0" * (-len(body) % 4)
        size = struct.pack(order + "I", len(body) + 12)
        return struct.pack(order + "I", kind) + size + body + size

    out = block(0x0A0D0D0A, struct.pack(order + "IHHq", 0x1A2B3C4D, 1, 0, -1))
    for link in links:
        out += block(1, struct.pack(order + "HHI", link, 0, 65535))
    for index, (interface, data) in enumerate(packets):
        at = (1_777_880_000 + index) * 1_000_000
        out += block(6, struct.pack(order + "IIIII", interface, at >> 32, at & 0xFFFFFFFF, len(data), len(data)) + data)
    return out
