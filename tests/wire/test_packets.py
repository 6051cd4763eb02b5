"""Packet headers: what a well-known library reads of any packet, ours reads too; and nothing at all makes it fail."""

from __future__ import annotations

import struct

import dpkt
import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.wire.packets import ICMP, ICMPV6, TCP, UDP, IpPacket, read_ip, read_tcp, read_udp, read_unreachable

V4, V6 = st.binary(min_size=4, max_size=4), st.binary(min_size=16, max_size=16)
PORT = st.integers(0, 65_535)
Upper = tuple[int, bytes, object]


@st.composite
def upper(draw: st.DrawFn) -> Upper:
    """A UDP datagram or TCP segment as bytes, and as the library holds it."""
    data = draw(st.binary(max_size=40))
    if draw(st.booleans()):
        udp = dpkt.udp.UDP(sport=draw(PORT), dport=draw(PORT), data=data)
        udp.ulen = len(udp)
        return UDP, bytes(udp), udp
    options = draw(st.sampled_from([b"", b"\1\1\1\0", b"\2\4\5\xb4\1\1\1\0"]))
    tcp = dpkt.tcp.TCP(sport=draw(PORT), dport=draw(PORT), seq=draw(st.integers(0, 2**32 - 1)), data=data, opts=options)
    tcp.off = (20 + len(options)) // 4
    return TCP, bytes(tcp), tcp


def _same(ip: IpPacket | None, whole: object, src: str, dst: str) -> None:
    assert ip is not None and (ip.src, ip.dst) == (src, dst)
    found = read_udp(ip.body) if ip.protocol == UDP else read_tcp(ip.body)
    assert found is not None
    assert (found.sport, found.dport, found.data) == (whole.sport, whole.dport, whole.data)  # type: ignore[attr-defined]
    assert found.sequence == getattr(whole, "seq", 0)


@given(V4, V4, upper(), st.integers(0, 255), st.integers(0, 12), st.sampled_from([b"", b"\1\1\1\0"]))
def test_ipv4_is_read_as_the_library_reads_it(
    src: bytes, dst: bytes, body: Upper, ttl: int, padding: int, options: bytes
) -> None:
    protocol, raw, whole = body
    ip = dpkt.ip.IP(src=src, dst=dst, p=protocol, ttl=ttl, opts=options, data=raw)
    ip.len, ip.hl = len(ip), 5 + len(options) // 4
    found = read_ip(bytes(ip) + b"\0" * padding)
    _same(found, whole, dpkt.utils.inet_to_str(src), dpkt.utils.inet_to_str(dst))
    assert found is not None and found.ttl == ttl


@given(V6, V6, upper(), st.lists(st.sampled_from([0, 43, 60]), max_size=3), st.integers(0, 12))
def test_ipv6_is_read_past_its_extension_headers(
    src: bytes, dst: bytes, body: Upper, extensions: list[int], padding: int
) -> None:
    protocol, raw, whole = body
    chain = [*extensions, protocol]
    for following in reversed(chain[1:]):
        raw = bytes((following, 0)) + b"\0" * 6 + raw
    packet = struct.pack(">IHBB", 6 << 28, len(raw), chain[0], 64) + src + dst + raw
    _same(read_ip(packet + b"\0" * padding), whole, dpkt.utils.inet_to_str(src), dpkt.utils.inet_to_str(dst))


@pytest.mark.parametrize(("code", "closed"), [(3, True), (1, False)])
def test_an_error_quotes_what_could_not_be_delivered(code: int, closed: bool) -> None:
    inner = struct.pack(">BBHHHBBH", 0x45, 0, 36, 1, 0, 64, 17, 0) + bytes((192, 0, 2, 1, 198, 51, 100, 2))
    quote = bytes((3, code)) + b"\0" * 6 + inner + struct.pack(">HHHH", 500, 4500, 16, 0)
    found = read_unreachable(IpPacket("203.0.113.1", "192.0.2.1", 64, ICMP, quote))
    assert found is not None and (found.src, found.dst, found.dport) == ("192.0.2.1", "198.51.100.2", 4500)
    assert found.port_closed is closed
    assert read_unreachable(IpPacket("203.0.113.1", "192.0.2.1", 64, ICMP, b"\0" + quote[1:])) is None
    assert read_unreachable(IpPacket("::1", "::2", 64, ICMPV6, quote)) is None


@given(st.binary(max_size=120), st.sampled_from([b"", b"\x45", b"\x60", b"\x4f"]))
def test_anything_at_all_is_read_or_left(data: bytes, first: bytes) -> None:
    packet = read_ip(first + data)
    if packet is not None:
        for read in (read_udp, read_tcp):
            found = read(packet.body)
            assert found is None or found.data in packet.body
        assert read_unreachable(packet) is None or packet.protocol in (ICMP, ICMPV6)
