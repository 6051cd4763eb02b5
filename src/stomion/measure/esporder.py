"""ESP packet by packet, as the two ends' captures hold it: which arrive changed, and which far behind others (RFC 4303 2.2, 3.4.3)."""

from __future__ import annotations

from array import array
from collections.abc import Iterable
from dataclasses import dataclass, field
from zlib import crc32

MOST = 200_000
"""Packets of one SPI that are looked at one by one."""
WINDOW = 32
"""Places within which a receiver has to accept what comes late; a larger window is its own choice (RFC 4303 3.4.3)."""


@dataclass(slots=True)
class Track:
    """The packets of one SPI in the order in which a capture saw them: sequence number, bytes and a checksum of each."""

    sequence: array[int] = field(default_factory=lambda: array("L"))
    size: array[int] = field(default_factory=lambda: array("H"))
    check: array[int] = field(default_factory=lambda: array("L"))

    def add(self, packet: bytes) -> None:
        """One ESP packet, from its SPI on."""
        if len(packet) >= 8 and len(self.sequence) < MOST:
            self.sequence.append(int.from_bytes(packet[4:8], "big"))
            self.size.append(min(len(packet), 0xFFFF))
            self.check.append(crc32(packet))


@dataclass(frozen=True, slots=True)
class Order:
    """Of `both` packets that are in both captures `changed` have other bytes; `late` came in more than the window behind the newest."""

    both: int = 0
    changed: int = 0
    late: int = 0


def compared(sent: Iterable[Track], got: Iterable[Track]) -> Order:
    """One SPI's packets at the two ends. A capture that cut a packet short tells nothing of its bytes, and neither does a sequence number
    under which two different packets left: the SPI was used twice."""
    left: dict[int, tuple[int, int] | None] = {}
    for track in sent:
        for sequence, size, check in zip(track.sequence, track.size, track.check, strict=True):
            left[sequence] = (size, check) if left.get(sequence, (size, check)) == (size, check) else None
    both = changed = late = 0
    for track in got:
        newest = 0
        for sequence, size, check in zip(track.sequence, track.size, track.check, strict=True):
            known = left.get(sequence)
            late += newest - sequence >= WINDOW and known is not None
            newest = max(newest, sequence)
            if known is not None and known[0] == size:
                both += 1
                changed += known[1] != check
    return Order(both, changed, late)
