"""IPv4 and IPv6 fragments put together again (RFC 791 3.2, RFC 8200 4.5), within limits that a hostile capture can't pass."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

MAX_PENDING = 512
"""Datagrams being put together at one time; the oldest is given up first."""
MAX_SIZE = 65_535
MAX_TRIES = 64
"""Times that one datagram is tried to be put together with a hole in it: pieces that overlap or come again could go on for ever."""


@dataclass(slots=True)
class _Pending:
    at: float
    number: int
    header: bytes = b""
    parts: dict[int, bytes] = field(default_factory=dict)
    total: int | None = None
    next_header: int = 0
    held: int = 0
    tries: int = 0


class Reassembler:
    """Feed it IP packets; it gives back whole ones and keeps the pieces of others."""

    def __init__(self) -> None:
        self._pending: dict[bytes, _Pending] = {}
        self.given_up = 0

    def feed(self, at: float, number: int, packet: bytes) -> bytes | None:
        """The packet itself, a datagram now complete, or None while pieces are missing."""
        if len(packet) < 20:
            return packet
        if packet[0] >> 4 == 4:
            if not (packet[6] & 0x3F or packet[7]):
                return packet
            return self._feed_v4(at, number, packet)
        if packet[0] >> 4 == 6 and len(packet) >= 48 and packet[6] == 44:
            return self._feed_v6(at, number, packet)
        return packet

    def unfinished(self) -> Iterator[tuple[float, int, bytes]]:
        """What has a beginning but no end: (time, packet number, the first piece as a packet of its own)."""
        for item in self._pending.values():
            if item.header and 0 in item.parts:
                yield item.at, item.number, _rebuild(item.header, item.parts[0], item.next_header)

    def _feed_v4(self, at: float, number: int, packet: bytes) -> bytes | None:
        size = (packet[0] & 0x0F) * 4
        total = min(packet[2] << 8 | packet[3], len(packet))
        flags = packet[6] << 8 | packet[7]
        key = packet[4:6] + packet[9:10] + packet[12:20]
        return self._add(
            key, at, number, packet[:size], packet[size:total], (flags & 0x1FFF) * 8, bool(flags & 0x2000), 0
        )

    def _feed_v6(self, at: float, number: int, packet: bytes) -> bytes | None:
        fragment = packet[40:48]
        flags = fragment[2] << 8 | fragment[3]
        key = fragment[4:8] + packet[8:40]
        body = packet[48 : 40 + (packet[4] << 8 | packet[5])]
        return self._add(key, at, number, packet[:40], body, flags & 0xFFF8, bool(flags & 1), fragment[0])

    def _add(
        self, key: bytes, at: float, number: int, header: bytes, body: bytes, offset: int, more: bool, following: int
    ) -> bytes | None:
        item = self._pending.get(key)
        if item is None:
            if len(self._pending) >= MAX_PENDING:
                self._pending.pop(next(iter(self._pending)))
                self.given_up += 1
            item = self._pending[key] = _Pending(at, number)
        if offset + len(body) > MAX_SIZE or len(item.parts) > MAX_SIZE // 8:
            return None
        item.held += len(body) - len(item.parts.get(offset, b""))
        item.parts[offset] = body
        if offset == 0:
            item.header, item.number, item.at, item.next_header = header, number, at, following
        if not more:
            item.total = offset + len(body)
        whole = _joined(item)
        if whole is None:
            if item.tries >= MAX_TRIES:
                del self._pending[key]
                self.given_up += 1
            return None
        del self._pending[key]
        return _rebuild(item.header, whole, item.next_header)


def _joined(item: _Pending) -> bytes | None:
    if item.total is None or not item.header or item.held < item.total:
        return None
    item.tries += 1
    out = bytearray()
    for offset in sorted(item.parts):
        if offset > len(out):
            return None
        out[offset:] = item.parts[offset]
    return bytes(out[: item.total]) if len(out) >= item.total else None


def _rebuild(header: bytes, body: bytes, following: int) -> bytes:
    """A header for the whole datagram, with no mark of fragmentation left."""
    out = bytearray(header)
    if header[0] >> 4 == 4:
        out[2:4] = min(len(header) + len(body), MAX_SIZE).to_bytes(2, "big")
        out[6:8] = b"\0\0"
    else:
        out[4:6] = min(len(body), MAX_SIZE).to_bytes(2, "big")
        out[6] = following
    return bytes(out) + body
