"""The SA payload of IKEv2: proposals, transforms, attributes (RFC 7296 3.3)."""

from __future__ import annotations

from struct import Struct

import msgspec

from stomion.errors import Malformed
from stomion.model.proposal import Proposal
from stomion.wire import registries as reg
from stomion.wire.cursor import Cursor
from stomion.wire.ike.attributes import Attribute, read_attributes, write_attributes
from stomion.wire.ike.field import Field
from stomion.wire.ike.numbers import KEY_LENGTH, TRANSFORM_HEADER, TransformV2

PROPOSAL = Struct(">BBHBBBB")
"""Head of a proposal substructure, the same in both versions."""
_TRANSFORM = Struct(">BBHBBH")
_KIND = {1: "encryption", 2: "prf", 3: "integrity", 4: "group", 5: "esn"}


class Transform(msgspec.Struct, frozen=True, gc=False):
    """One algorithm on offer; `reserved` holds the two reserved bytes so that encoding gives back what was read."""

    kind: int
    number: int
    attributes: tuple[Attribute, ...] = ()
    reserved: tuple[int, int] = (0, 0)

    @property
    def key_bits(self) -> int | None:
        """The key length attribute, in bits."""
        return next((a.value for a in self.attributes if a.kind == KEY_LENGTH), None)

    @property
    def name(self) -> str:
        """The value as a proposal names it: `AES-CBC-256`, `14` for a group."""
        if self.kind == TransformV2.KE:
            return str(self.number)
        found = reg.name_of(reg.V2_TRANSFORMS.get(self.kind, {}), self.number)
        bits = self.key_bits
        return f"{found}-{bits}" if bits else found


class WireProposal(msgspec.Struct, frozen=True, gc=False):
    """One proposal substructure."""

    number: int
    protocol: int
    spi: bytes
    transforms: tuple[Transform, ...]
    reserved: int = 0

    def model(self) -> Proposal:
        """In the common vocabulary."""
        found: dict[str, list[str]] = {}
        for transform in self.transforms:
            kind = _KIND.get(transform.kind)
            if kind:
                found.setdefault(kind, []).append(transform.name)
        kinds = {kind: tuple(found.get(kind, ())) for kind in _KIND.values()}
        return Proposal(
            reg.name_of(reg.PROTOCOLS, self.protocol),
            kinds["encryption"],
            kinds["integrity"],
            kinds["prf"],
            kinds["group"],
            kinds["esn"],
        )


class SaV2(msgspec.Struct, frozen=True, gc=False):
    """Body of an IKEv2 SA payload."""

    proposals: tuple[WireProposal, ...]

    @classmethod
    def read(cls, cur: Cursor) -> SaV2:
        """Raises Truncated or Malformed."""
        found = []
        while cur.left:
            found.append(_read_proposal(cur))
        return cls(tuple(found))

    def write(self) -> bytes:
        """The exact bytes of the body."""
        last = len(self.proposals) - 1
        return b"".join(_write_proposal(p, i == last) for i, p in enumerate(self.proposals))

    def model(self) -> tuple[Proposal, ...]:
        """All proposals in the common vocabulary."""
        return tuple(p.model() for p in self.proposals)

    def fields(self, at: int) -> list[Field]:
        """Ledger lines; `at` is the offset of the body in the message."""
        lines: list[Field] = []
        for number, proposal in enumerate(self.proposals, 1):
            head = _write_proposal(proposal, number == len(self.proposals))[: 8 + len(proposal.spi)]
            says = f"{reg.name_of(reg.PROTOCOLS, proposal.protocol)} · {len(proposal.transforms)} transforms"
            if proposal.spi:
                says += f" · SPI {proposal.spi.hex()}"
            lines.append(Field(at, head, f"proposal {proposal.number}", proposal.number, says, 1))
            at += len(head)
            for count, transform in enumerate(proposal.transforms, 1):
                lines.extend(_transform_fields(transform, at, count == len(proposal.transforms)))
                at += len(_write_transform(transform, True))
        return lines


def _transform_fields(transform: Transform, at: int, last: bool) -> list[Field]:
    raw = _write_transform(transform, last)
    kind = reg.name_of(reg.V2_TRANSFORM_KINDS, transform.kind)
    says = reg.name_of(reg.V2_TRANSFORMS.get(transform.kind, {}), transform.number)
    lines = [Field(at, raw[:8], kind, transform.number, says, 2, _KIND.get(transform.kind, ""))]
    at += 8
    for attribute in transform.attributes:
        lines.append(attribute.field(at, reg.V2_ATTRIBUTES, 3))
        at += len(attribute.write())
    return lines


def _read_proposal(cur: Cursor) -> WireProposal:
    start = cur.at
    _, reserved, length, number, protocol, spi_size, count = cur.unpack(PROPOSAL)
    if length < TRANSFORM_HEADER:
        raise Malformed(f"proposal length {length}, at least 8 expected", place=start)
    body = cur.window(length - 8)
    spi = body.take(spi_size)
    transforms = []
    for _ in range(count):
        transforms.append(_read_transform(body))
    if body.left:
        raise Malformed(f"{body.left} bytes left after {count} transforms", place=body.at)
    return WireProposal(number, protocol, spi, tuple(transforms), reserved)


def _read_transform(cur: Cursor) -> Transform:
    start = cur.at
    _, first, length, kind, second, number = cur.unpack(_TRANSFORM)
    if length < TRANSFORM_HEADER:
        raise Malformed(f"transform length {length}, at least 8 expected", place=start)
    attributes = read_attributes(cur.window(length - TRANSFORM_HEADER)) if length > TRANSFORM_HEADER else ()
    return Transform(kind, number, attributes, (first, second))


def _write_proposal(p: WireProposal, last: bool) -> bytes:
    count = len(p.transforms)
    body = b"".join(_write_transform(t, i == count - 1) for i, t in enumerate(p.transforms))
    length = 8 + len(p.spi) + len(body)
    head = bytes([0 if last else 2, p.reserved]) + length.to_bytes(2, "big")
    return head + bytes([p.number, p.protocol, len(p.spi), count]) + p.spi + body


def _write_transform(t: Transform, last: bool) -> bytes:
    body = write_attributes(t.attributes)
    head = bytes([0 if last else 3, t.reserved[0]]) + (8 + len(body)).to_bytes(2, "big")
    return head + bytes([t.kind, t.reserved[1]]) + t.number.to_bytes(2, "big") + body
