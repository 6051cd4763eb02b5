"""Headers of IP packets down to ports: IPv4 (RFC 791), IPv6 with its extension headers (RFC 8200 4), UDP (RFC 768), TCP (RFC 9293), and
the packet that an ICMP error quotes (RFC 792, RFC 4443). Fragments are put together elsewhere.

Headers that are cut short or contradict themselves are None: in a capture of everything they are somebody else's matter.
"""

from __future__ import annotations

import ipaddress
from dataclasses import dataclass
from functools import lru_cache
from struct import Struct

IPV4, IPV6 = 4, 6
PORTS, SHORTEST_EXTENSION = 4, 8
V4_HEADER, V6_HEADER, UDP_HEADER, TCP_HEADER, ICMP_HEADER = 20, 40, 8, 20, 8
TCP, UDP, ESP, ICMP, ICMPV6 = 6, 17, 50, 1, 58
_V4 = Struct(">BxHxxxxBBxx4s4s")
_V6 = Struct(">BxxxHBB16s16s")
_UDP = Struct(">HHH")
_TCP = Struct(">HHIxxxxB")
_LENGTH_IN_EIGHTS = frozenset((0, 43, 60, 135))
"""Extension headers whose length counts 8-octet units, the first not counted: hop-by-hop, routing, destination, mobility."""
_FRAGMENT, _AUTHENTICATION = 44, 51
MAX_EXTENSIONS = 8
UNREACHABLE = {ICMP: 3, ICMPV6: 1}
"""The type of ICMP errors that say a packet could not be delivered."""
PORT_CLOSED = {ICMP: 3, ICMPV6: 4}
"""Their code where the port is what could not be reached."""


@dataclass(frozen=True, slots=True)
class IpPacket:
    """Addresses as text, hop limit, the protocol above IP, and what it carries."""

    src: str
    dst: str
    ttl: int
    protocol: int
    body: bytes


@dataclass(frozen=True, slots=True)
class Segment:
    """What UDP or TCP carries between two ports; `sequence` is TCP's, 0 for UDP."""

    sport: int
    dport: int
    data: bytes
    sequence: int = 0


@dataclass(frozen=True, slots=True)
class Quoted:
    """A packet that could not be delivered, as an ICMP error quotes it."""

    src: str
    dst: str
    dport: int
    port_closed: bool


def read_ip(data: bytes) -> IpPacket | None:
    """The IP header and what follows it, padding of the link left out."""
    version = data[0] >> 4 if data else 0
    if version == IPV4 and len(data) >= V4_HEADER:
        first, total, ttl, protocol, src, dst = _V4.unpack_from(data)
        size = (first & 0x0F) * 4
        if size < V4_HEADER:
            return None
        # A card that cuts segments itself leaves the length 0 in what it gives to a capture.
        return IpPacket(_v4_text(src), _v4_text(dst), ttl, protocol, data[size : total or len(data)])
    if version == IPV6 and len(data) >= V6_HEADER:
        _, length, following, ttl, src, dst = _V6.unpack_from(data)
        body = data[V6_HEADER : V6_HEADER + length if length else len(data)]
        protocol, body = _past_extensions(following, body)
        return IpPacket(_v6_text(src), _v6_text(dst), ttl, protocol, body)
    return None


@lru_cache(4_096)
def _v4_text(raw: bytes) -> str:
    return f"{raw[0]}.{raw[1]}.{raw[2]}.{raw[3]}"


@lru_cache(4_096)
def _v6_text(raw: bytes) -> str:
    return str(ipaddress.IPv6Address(raw))


def _past_extensions(kind: int, body: bytes) -> tuple[int, bytes]:
    for _ in range(MAX_EXTENSIONS):
        if len(body) < SHORTEST_EXTENSION:
            break
        if kind in _LENGTH_IN_EIGHTS:
            size = (body[1] + 1) * 8
        elif kind == _FRAGMENT:
            size = 8
        elif kind == _AUTHENTICATION:
            size = (body[1] + 2) * 4
        else:
            break
        kind, body = body[0], body[size:]
    return kind, body


def read_udp(body: bytes) -> Segment | None:
    """A UDP datagram; one that the capture cut short gives what is there."""
    if len(body) < UDP_HEADER:
        return None
    sport, dport, length = _UDP.unpack_from(body)
    return Segment(sport, dport, body[UDP_HEADER : length if length >= UDP_HEADER else len(body)])


def read_tcp(body: bytes) -> Segment | None:
    """A TCP segment without its options."""
    if len(body) < TCP_HEADER:
        return None
    sport, dport, sequence, offset = _TCP.unpack_from(body)
    size = (offset >> 4) * 4
    return Segment(sport, dport, body[size:], sequence) if size >= TCP_HEADER else None


def read_unreachable(packet: IpPacket) -> Quoted | None:
    """What an ICMP error says could not be delivered; None for any other ICMP message."""
    body = packet.body
    if len(body) < ICMP_HEADER + V4_HEADER or body[0] != UNREACHABLE.get(packet.protocol):
        return None
    inner = read_ip(body[ICMP_HEADER:])
    if inner is None or len(inner.body) < PORTS:
        return None
    closed = body[1] == PORT_CLOSED[packet.protocol]
    return Quoted(inner.src, inner.dst, inner.body[2] << 8 | inner.body[3], closed)
