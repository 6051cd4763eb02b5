"""One UDP datagram (or ICMP refusal of one) as taken from a capture."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec

from stomion.model.provenance import Provenance


class Datagram(msgspec.Struct, frozen=True, gc=False):
    """`at` is seconds since 1970 UTC; addresses are printable; `payload` is what follows the UDP header.

    `more_fragments` marks the first part of a datagram whose rest was never seen; `ttl` is as captured (0: unknown).
    """

    at: float
    src: str
    sport: int
    dst: str
    dport: int
    payload: bytes
    where: Provenance
    more_fragments: bool = False
    ttl: int = 0


@dataclass(frozen=True, slots=True)
class Unreachable:
    """An ICMP answer that a UDP datagram could not be delivered (RFC 792, RFC 4443)."""

    at: float
    reporter: str
    src: str
    dst: str
    dport: int
    port_closed: bool
    where: Provenance
