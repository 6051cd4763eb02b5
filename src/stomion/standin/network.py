"""Virtual time and a network of two-way paths; taps record what passes, as a capture at a gateway's WAN side would."""

from __future__ import annotations

import heapq
from collections.abc import Callable
from dataclasses import dataclass, field

from stomion.standin import frames

Receiver = Callable[["Network", "Parcel"], None]


@dataclass(frozen=True, slots=True)
class Parcel:
    """A UDP datagram under way; `payload` includes the non-ESP marker on port 4500."""

    src: str
    sport: int
    dst: str
    dport: int
    payload: bytes


@dataclass(slots=True)
class Tap:
    """Everything that enters or leaves one address, with the clock error of the machine that captures."""

    offset: float = 0.0
    packets: list[tuple[float, bytes]] = field(default_factory=list)

    def pcap(self) -> bytes:
        """The capture as a pcap file (Ethernet)."""
        return frames.pcap(self.packets)

    def pcapng(self) -> bytes:
        """The same as a pcapng file."""
        return frames.pcapng(self.packets)


class Network:
    """Delivers parcels after the path's delay, in virtual time that begins at `start` (seconds since 1970)."""

    def __init__(self, start: float) -> None:
        self.now = start
        self._queue: list[tuple[float, int, Callable[[], None]]] = []
        self._count = 0
        self._receivers: dict[str, Receiver] = {}
        self._taps: dict[str, Tap] = {}
        self._delays: dict[frozenset[str], float] = {}
        self._cut: set[frozenset[str]] = set()

    def attach(self, address: str, receiver: Receiver, tap: Tap | None = None) -> None:
        """Give an address a receiver and, where wanted, a tap."""
        self._receivers[address] = receiver
        if tap is not None:
            self._taps[address] = tap

    def path(self, a: str, b: str, delay: float) -> None:
        """The one-way delay between two addresses."""
        self._delays[frozenset((a, b))] = delay

    def cut(self, a: str, b: str) -> None:
        """From now on nothing arrives between two addresses."""
        self._cut.add(frozenset((a, b)))

    def mend(self, a: str, b: str) -> None:
        """Things arrive again."""
        self._cut.discard(frozenset((a, b)))

    def at(self, moment: float, action: Callable[[], None]) -> None:
        """Run an action at a moment."""
        self._count += 1
        heapq.heappush(self._queue, (moment, self._count, action))

    def after(self, delay: float, action: Callable[[], None]) -> None:
        """Run an action after a delay."""
        self.at(self.now + delay, action)

    def send(self, parcel: Parcel) -> None:
        """Put a parcel on its way."""
        self._record(parcel.src, parcel, 64)
        if frozenset((parcel.src, parcel.dst)) in self._cut:
            return
        delay = self._delays.get(frozenset((parcel.src, parcel.dst)), 0.02)
        self.after(delay, lambda: self._deliver(parcel))

    def run(self) -> None:
        """Until nothing is left to happen."""
        while self._queue:
            self.now, _, action = heapq.heappop(self._queue)
            action()

    def _deliver(self, parcel: Parcel) -> None:
        self._record(parcel.dst, parcel, 58)
        receiver = self._receivers.get(parcel.dst)
        if receiver is not None:
            receiver(self, parcel)

    def _record(self, address: str, parcel: Parcel, ttl: int) -> None:
        tap = self._taps.get(address)
        if tap is None:
            return
        ident = len(tap.packets) + 1 & 0xFFFF
        frame = frames.udp(parcel.src, parcel.sport, parcel.dst, parcel.dport, parcel.payload, ttl, ident)
        tap.packets.append((round(self.now + tap.offset, 6), frame))
