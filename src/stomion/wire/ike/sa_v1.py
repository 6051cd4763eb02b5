"""The SA payload of IKEv1: DOI, situation, proposals, transforms as fixed tuples (RFC 2408 3.4-3.6, RFC 2407 4.4)."""

from __future__ import annotations

from struct import Struct

import msgspec

from stomion.errors import Malformed
from stomion.model.proposal import Proposal
from stomion.wire import registries as reg
from stomion.wire.cursor import Cursor
from stomion.wire.ike.attributes import Attribute, read_attributes, write_attributes
from stomion.wire.ike.field import Field
from stomion.wire.ike.numbers import PROPOSAL_HEADER, TRANSFORM_HEADER, AttributeEsp, AttributeV1
from stomion.wire.ike.sa_v2 import PROPOSAL

_V1_ESP = {
    2: "DES", 3: "3DES", 6: "CAST", 7: "BLOWFISH", 11: "NULL", 12: "AES-CBC", 13: "AES-CTR", 14: "AES-CCM-8",
    15: "AES-CCM-12", 16: "AES-CCM-16", 18: "AES-GCM-8", 19: "AES-GCM-12", 20: "AES-GCM-16", 22: "CAMELLIA-CBC",
}  # fmt: skip
_HASH_AS_INTEGRITY = {
    "MD5": "HMAC-MD5-96",
    "SHA1": "HMAC-SHA1-96",
    "SHA2-256": "HMAC-SHA2-256-128",
    "SHA2-384": "HMAC-SHA2-384-192",
    "SHA2-512": "HMAC-SHA2-512-256",
}
DOI_IPSEC = 1
_TRANSFORM = Struct(">BBHBBH")


class TransformV1(msgspec.Struct, frozen=True, gc=False):
    """One complete choice of algorithms; `reserved` are the bytes the standard leaves unused."""

    number: int
    ident: int
    attributes: tuple[Attribute, ...]
    reserved: tuple[int, int] = (0, 0)

    def model(self, protocol: int) -> Proposal:
        """In the common vocabulary; a phase 1 hash stands for integrity and PRF alike."""
        return _phase1(self.attributes) if protocol == 1 else _phase2(self, protocol)


class ProposalV1(msgspec.Struct, frozen=True, gc=False):
    """One proposal substructure."""

    number: int
    protocol: int
    spi: bytes
    transforms: tuple[TransformV1, ...]
    reserved: int = 0


class SaV1(msgspec.Struct, frozen=True, gc=False):
    """Body of an IKEv1 SA payload."""

    doi: int
    situation: int
    proposals: tuple[ProposalV1, ...]

    @classmethod
    def read(cls, cur: Cursor) -> SaV1:
        """Raises Truncated or Malformed."""
        doi, situation = cur.u32(), cur.u32()
        found = []
        while cur.left:
            found.append(_read_proposal(cur))
        return cls(doi, situation, tuple(found))

    def write(self) -> bytes:
        """The exact bytes of the body."""
        last = len(self.proposals) - 1
        head = self.doi.to_bytes(4, "big") + self.situation.to_bytes(4, "big")
        return head + b"".join(_write_proposal(p, i == last) for i, p in enumerate(self.proposals))

    def model(self) -> tuple[Proposal, ...]:
        """Every transform as a proposal of single values."""
        return tuple(t.model(p.protocol) for p in self.proposals for t in p.transforms)

    def fields(self, at: int) -> list[Field]:
        """Ledger lines; `at` is the offset of the body in the message."""
        raw = self.write()
        lines = [
            Field(at, raw[:4], "DOI", self.doi, "IPsec" if self.doi == DOI_IPSEC else "unknown", 1),
            Field(at + 4, raw[4:8], "situation", self.situation, "identity only" if self.situation == 1 else "", 1),
        ]
        at += 8
        for number, proposal in enumerate(self.proposals, 1):
            size = 8 + len(proposal.spi)
            head = _write_proposal(proposal, number == len(self.proposals))[:size]
            says = f"{reg.name_of(reg.PROTOCOLS, proposal.protocol)} · {len(proposal.transforms)} transforms"
            lines.append(Field(at, head, f"proposal {proposal.number}", proposal.number, says, 1))
            at += size
            for count, transform in enumerate(proposal.transforms, 1):
                lines.extend(_transform_fields(transform, proposal.protocol, at, count == len(proposal.transforms)))
                at += len(_write_transform(transform, True))
        return lines


def _transform_fields(t: TransformV1, protocol: int, at: int, last: bool) -> list[Field]:
    raw = _write_transform(t, last)
    names, values = (
        (reg.V1_ATTRIBUTES, reg.V1_PHASE1_VALUES) if protocol == 1 else (reg.V1_IPSEC_ATTRIBUTES, reg.V1_PHASE2_VALUES)
    )
    says = "IKE" if protocol == 1 else reg.name_of(_V1_ESP, t.ident)
    kind = "" if protocol == 1 else "encryption"
    lines = [Field(at, raw[:8], f"transform {t.number}", t.ident, says, 2, kind)]
    at += 8
    for attribute in t.attributes:
        lines.append(attribute.field(at, names, 3, values))
        at += len(attribute.write())
    return lines


def _lifetime(attributes: tuple[Attribute, ...], kind: int, duration: int) -> int | None:
    """Seconds, from the pair life type = seconds, life duration that follows it."""
    seconds = False
    for attribute in attributes:
        if attribute.kind == kind:
            seconds = attribute.value == 1
        elif attribute.kind == duration and seconds:
            return attribute.value
    return None


def _phase1(attributes: tuple[Attribute, ...]) -> Proposal:
    by_kind = {a.kind: a.value for a in attributes}
    found: dict[str, tuple[str, ...]] = {}
    if AttributeV1.ENCRYPTION in by_kind:
        bits = f"-{by_kind[AttributeV1.KEY_LENGTH]}" if AttributeV1.KEY_LENGTH in by_kind else ""
        found["encryption"] = (reg.name_of(reg.V1_ENCR, by_kind[AttributeV1.ENCRYPTION]) + bits,)
    if AttributeV1.HASH in by_kind:
        name = reg.name_of(reg.V1_HASH, by_kind[AttributeV1.HASH])
        found["integrity"] = (_HASH_AS_INTEGRITY.get(name, name),)
        found["prf"] = (f"HMAC-{name}",)
    if AttributeV1.GROUP in by_kind:
        found["group"] = (str(by_kind[AttributeV1.GROUP]),)
    if AttributeV1.AUTHENTICATION in by_kind:
        found["authentication"] = (reg.name_of(reg.V1_AUTH, by_kind[AttributeV1.AUTHENTICATION]),)
    return Proposal("IKE", lifetime_s=_lifetime(attributes, 11, 12), **found)


def _phase2(t: TransformV1, protocol: int) -> Proposal:
    by_kind = {a.kind: a.value for a in t.attributes}
    bits = f"-{by_kind[AttributeEsp.KEY_LENGTH]}" if AttributeEsp.KEY_LENGTH in by_kind else ""
    found: dict[str, tuple[str, ...]] = {"encryption": (reg.name_of(_V1_ESP, t.ident) + bits,)}
    if AttributeEsp.INTEGRITY in by_kind:
        found["integrity"] = (reg.name_of(reg.V1_IPSEC_AUTH, by_kind[AttributeEsp.INTEGRITY]),)
    if AttributeEsp.GROUP in by_kind:
        found["group"] = (str(by_kind[AttributeEsp.GROUP]),)
    return Proposal(reg.name_of(reg.PROTOCOLS, protocol), lifetime_s=_lifetime(t.attributes, 1, 2), **found)


def _read_proposal(cur: Cursor) -> ProposalV1:
    start = cur.at
    _, reserved, length, number, protocol, spi_size, count = cur.unpack(PROPOSAL)
    if length < PROPOSAL_HEADER:
        raise Malformed(f"proposal length {length}, at least 8 expected", place=start)
    body = cur.window(length - 8)
    spi = body.take(spi_size)
    transforms = [_read_transform(body) for _ in range(count)]
    if body.left:
        raise Malformed(f"{body.left} bytes left after {count} transforms", place=body.at)
    return ProposalV1(number, protocol, spi, tuple(transforms), reserved)


def _read_transform(cur: Cursor) -> TransformV1:
    start = cur.at
    _, first, length, number, ident, second = cur.unpack(_TRANSFORM)
    if length < TRANSFORM_HEADER:
        raise Malformed(f"transform length {length}, at least 8 expected", place=start)
    return TransformV1(number, ident, read_attributes(cur.window(length - 8)), (first, second))


def _write_proposal(p: ProposalV1, last: bool) -> bytes:
    count = len(p.transforms)
    body = b"".join(_write_transform(t, i == count - 1) for i, t in enumerate(p.transforms))
    head = bytes([0 if last else 2, p.reserved]) + (8 + len(p.spi) + len(body)).to_bytes(2, "big")
    return head + bytes([p.number, p.protocol, len(p.spi), count]) + p.spi + body


def _write_transform(t: TransformV1, last: bool) -> bytes:
    body = write_attributes(t.attributes)
    head = bytes([0 if last else 3, t.reserved[0]]) + (8 + len(body)).to_bytes(2, "big")
    return head + bytes([t.number, t.ident]) + t.reserved[1].to_bytes(2, "big") + body
