"""IKE over TCP (RFC 9329): a stream that begins with `IKETCP`, then messages with their length before them.

Segments are taken in the order of their sequence numbers, within limits; what comes out of order is kept for a while.
"""

from __future__ import annotations

from dataclasses import dataclass, field

PREFIX = b"IKETCP"
MARKER = b"\0\0\0\0"
LENGTH_FIELD = 2
"""Bytes before every message that tell its length, themselves included (RFC 9329 3.1)."""
MAX_HELD = 1 << 20
"""Bytes kept of one stream while a message is incomplete; the length field ends at 64 KiB."""
MAX_STREAMS = 256
MAX_EARLY = 64
"""Segments that came before their turn, kept per stream."""


@dataclass(slots=True)
class _Stream:
    expected: int
    begun: bool = False
    held: bytes = b""
    early: dict[int, bytes] = field(default_factory=dict)


class TcpStreams:
    """Feed it segments; it gives back IKE messages and, for ESP, nothing."""

    def __init__(self) -> None:
        self._streams: dict[tuple[str, int, str, int], _Stream] = {}
        self.given_up = self.left_out = 0

    def feed(self, key: tuple[str, int, str, int], sequence: int, data: bytes) -> list[bytes]:
        """IKE messages that this segment completes; `key` is (source, port, destination, port)."""
        if not data:
            return []
        stream = self._streams.get(key)
        if stream is None:
            if len(self._streams) >= MAX_STREAMS:
                self._streams.pop(next(iter(self._streams)))
                self.given_up += 1
            stream = self._streams[key] = _Stream(sequence)
        if sequence != stream.expected:
            ahead = sequence - stream.expected & 0xFFFFFFFF
            if ahead < 1 << 31:
                if len(stream.early) < MAX_EARLY:
                    stream.early[sequence] = data
                else:
                    self.left_out += 1
            return []
        self._append(stream, data)
        return _messages(stream)

    def _append(self, stream: _Stream, data: bytes) -> None:
        while data:
            stream.held = (stream.held + data)[:MAX_HELD]
            stream.expected = stream.expected + len(data) & 0xFFFFFFFF
            data = stream.early.pop(stream.expected, b"")


def _messages(stream: _Stream) -> list[bytes]:
    """Whole messages at the front of what is held."""
    if not stream.begun and stream.held.startswith(PREFIX):
        stream.held = stream.held[len(PREFIX) :]
        stream.begun = True
    found = []
    while len(stream.held) >= LENGTH_FIELD:
        size = stream.held[0] << 8 | stream.held[1]
        if size < LENGTH_FIELD or len(stream.held) < size:
            break
        body, stream.held = stream.held[2:size], stream.held[size:]
        if body.startswith(MARKER):
            found.append(body[4:])
    return found
