"""What a stand-in gateway is set to, and the state of one negotiation."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from msgspec.structs import replace

from stomion.standin.secrets import Exchange, Keys
from stomion.wire.ike.attributes import Attribute
from stomion.wire.ike.sa_v2 import SaV2, Transform, WireProposal


@dataclass(frozen=True, slots=True)
class Suite:
    """What a gateway offers or allows, by IANA numbers: (number, key bits) of ciphers, then PRFs, integrity, groups."""

    encryption: tuple[tuple[int, int], ...]
    prf: tuple[int, ...] = ()
    integrity: tuple[int, ...] = ()
    groups: tuple[int, ...] = ()
    protocol: int = 1

    def proposal(self, spi: bytes = b"", groups: bool = True) -> WireProposal:
        """As a proposal on the wire."""
        found = [Transform(1, n, (Attribute(14, bits),) if bits else ()) for n, bits in self.encryption]
        found += [Transform(2, n) for n in self.prf] + [Transform(3, n) for n in self.integrity]
        found += [Transform(4, n) for n in self.groups] if groups else []
        if self.protocol == 3:
            found.append(Transform(5, 0))
        return WireProposal(1, self.protocol, spi, tuple(found))

    def choose(self, offers: SaV2) -> WireProposal | None:
        """The first offer that fits, cut down to one value of every kind, in the asker's order."""
        allowed = {
            1: {n for n, _ in self.encryption},
            2: set(self.prf),
            3: set(self.integrity),
            4: set(self.groups),
            5: {0, 1},
        }
        bits = dict(self.encryption)
        for offer in offers.proposals:
            picked: dict[int, Transform] = {}
            for t in offer.transforms:
                if t.number in allowed[t.kind] and (t.kind != 1 or (t.key_bits or 0) == bits[t.number]):
                    picked.setdefault(t.kind, t)
            if {t.kind for t in offer.transforms} == set(picked):
                return replace(offer, transforms=tuple(picked.values()))
        return None


@dataclass(slots=True)
class Peer:
    """A gateway's configuration for one peer."""

    tunnel: str
    address: str
    identity: str
    psk: bytes
    ike: Suite
    child: Suite
    local: str
    remote: str
    first_group: int = 20
    heeds_refusal: bool = True
    tries: int = 4
    base: float = 4.0
    factor: float = 1.8
    lifetime: int = 28_800
    on_child: Callable[[Session], None] | None = None
    on_lost: Callable[[Session], None] | None = None


@dataclass(slots=True)
class Session:
    """One IKE SA in the making or in use."""

    peer: Peer
    number: int
    initiator: bool
    spi_i: bytes
    spi_r: bytes = b"\0" * 8
    exchange: Exchange | None = None
    nonce_i: bytes = b""
    nonce_r: bytes = b""
    first: bytes = b""
    second: bytes = b""
    keys: Keys | None = None
    next_id: int = 1
    waiting: bytes | None = None
    done: bool = False
    spi_in: bytes = b""
    spi_out: bytes = b""
    replies: dict[bytes, bytes] = field(default_factory=dict)
