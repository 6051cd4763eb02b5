"""IKE header and payload chain, both versions (RFC 2408 3.1-3.2, RFC 7296 3.1-3.2).

Damage is collected with its offset; reading resumes at the declared end of the payload. Nothing escapes `decode`.
"""

from __future__ import annotations

from collections.abc import Callable
from struct import Struct
from typing import Protocol

import msgspec

from stomion.errors import UnreadableInput
from stomion.wire import registries as reg
from stomion.wire.cursor import Cursor
from stomion.wire.ike import bodies as b
from stomion.wire.ike.configuration import Configuration, Eap
from stomion.wire.ike.field import Field
from stomion.wire.ike.numbers import GENERIC_HEADER, IKEV2, PayloadV1, PayloadV2
from stomion.wire.ike.sa_v1 import SaV1
from stomion.wire.ike.sa_v2 import SaV2

HEADER = Struct(">8s8sBBBBII")
HEADER_SIZE = 28
MAX_PAYLOADS = 128
"""More payloads than this in one message is an attack or damage; a real message has under thirty."""
SK, SKF = 46, 53

FLAG_V1_ENCRYPTED, FLAG_V1_COMMIT = 0x01, 0x02
FLAG_INITIATOR, FLAG_HIGHER, FLAG_RESPONSE = 0x08, 0x10, 0x20


class Body(Protocol):
    """What every payload body can do."""

    def write(self) -> bytes:
        """Its exact bytes."""
        ...

    def fields(self, at: int) -> list[Field]:
        """Its ledger lines; `at` is the offset of the body in the message."""
        ...


class Header(msgspec.Struct, frozen=True, gc=False):
    """The fixed header; `length` is what the sender claims."""

    spi_i: bytes
    spi_r: bytes
    next_payload: int
    version: int
    exchange: int
    flags: int
    message_id: int
    length: int

    @property
    def major(self) -> int:
        return self.version >> 4

    @property
    def exchange_name(self) -> str:
        return reg.name_of(reg.V1_EXCHANGES if self.major == 1 else reg.V2_EXCHANGES, self.exchange)

    @property
    def is_response(self) -> bool:
        """True for an IKEv2 response; IKEv1 messages carry no such flag."""
        return self.major == IKEV2 and bool(self.flags & FLAG_RESPONSE)

    @property
    def from_initiator(self) -> bool:
        """True where an IKEv2 message was sent by the SA's original initiator."""
        return self.major == IKEV2 and bool(self.flags & FLAG_INITIATOR)


class Payload(msgspec.Struct, frozen=True, gc=False):
    """One payload: `flags` is the byte with the critical bit, `next_inside` the first payload inside an encrypted one."""

    kind: int
    body: Body
    flags: int = 0
    offset: int = 0
    next_inside: int = 0


class Damage(msgspec.Struct, frozen=True, gc=False):
    """Something that contradicts the format, at an offset of the message."""

    offset: int
    text: str


class Message(msgspec.Struct, frozen=True, gc=False):
    """A decoded message. `header` is None where not even that could be read."""

    header: Header | None
    payloads: tuple[Payload, ...] = ()
    damage: tuple[Damage, ...] = ()
    trailing: bytes = b""

    def bodies(self, cls: type[Body]) -> list[Body]:
        """All payload bodies of one class."""
        return [p.body for p in self.payloads if isinstance(p.body, cls)]

    @property
    def notifies(self) -> list[b.Notify]:
        return [p.body for p in self.payloads if isinstance(p.body, b.Notify)]

    @property
    def encrypted(self) -> bool:
        return any(isinstance(p.body, (b.Sealed, b.SealedFragment)) for p in self.payloads)

    @property
    def sa(self) -> SaV1 | SaV2 | None:
        return next((p.body for p in self.payloads if isinstance(p.body, (SaV1, SaV2))), None)


Reader = Callable[[Cursor], Body]
_V1_READERS: dict[int, Reader] = {
    PayloadV1.SA: SaV1.read,
    PayloadV1.KE: b.KeV1.read,
    PayloadV1.ID: b.Identity.read,
    PayloadV1.CERT: b.Coded.read,
    PayloadV1.CERTREQ: b.Coded.read,
    PayloadV1.NOTIFY: b.Notify.read_v1,
    PayloadV1.DELETE: b.Delete.read_v1,
    PayloadV1.ATTRIBUTES: Configuration.read,
    PayloadV1.FRAGMENT: b.FragmentV1.read,
}
_V2_READERS: dict[int, Reader] = {
    PayloadV2.SA: SaV2.read,
    PayloadV2.KE: b.KeV2.read,
    PayloadV2.ID_I: b.Identity.read,
    PayloadV2.ID_R: b.Identity.read,
    PayloadV2.CERT: b.Coded.read,
    PayloadV2.CERTREQ: b.Coded.read,
    PayloadV2.AUTH: b.Auth.read,
    PayloadV2.NOTIFY: b.Notify.read_v2,
    PayloadV2.DELETE: b.Delete.read_v2,
    PayloadV2.TS_I: b.TsList.read,
    PayloadV2.TS_R: b.TsList.read,
    PayloadV2.CP: Configuration.read,
    PayloadV2.EAP: Eap.read,
    PayloadV2.SK: b.Sealed.read,
    PayloadV2.SKF: b.SealedFragment.read,
}
_READERS = {1: _V1_READERS, 2: _V2_READERS}
_NAMES = {1: reg.V1_PAYLOADS, 2: reg.V2_PAYLOADS}


def payload_name(major: int, kind: int) -> str:
    """The registered name of a payload type, or its number."""
    return reg.name_of(_NAMES.get(major, {}), kind)


def decode(data: bytes) -> Message:
    """Read one message. Never raises: what is wrong stands in `damage`, what is right in `payloads`."""
    if len(data) < HEADER_SIZE:
        return Message(None, (), (Damage(0, f"{len(data)} bytes, the header alone needs {HEADER_SIZE}"),), data)
    header = Header(*HEADER.unpack_from(data))
    damage: list[Damage] = []
    if header.major not in _READERS:
        damage.append(Damage(17, f"IKE version {header.major}.{header.version & 15} is not known"))
        return Message(header, (), tuple(damage), data[HEADER_SIZE:])
    end = _end_of(data, header, damage)
    if header.major == 1 and header.flags & FLAG_V1_ENCRYPTED:
        sealed = Payload(header.next_payload, b.Sealed(data[HEADER_SIZE:end]), 0, HEADER_SIZE)
        return Message(header, (sealed,), tuple(damage), data[end:])
    payloads = _chain(data, end, header, damage)
    return Message(header, tuple(payloads), tuple(damage), data[end:])


def _end_of(data: bytes, header: Header, damage: list[Damage]) -> int:
    if header.length > len(data):
        damage.append(Damage(24, f"length says {header.length}, only {len(data)} bytes are here"))
    elif header.length < HEADER_SIZE:
        damage.append(Damage(24, f"length says {header.length}, less than the header"))
        return len(data)
    return min(header.length, len(data))


def _chain(data: bytes, end: int, header: Header, damage: list[Damage]) -> list[Payload]:
    readers = _READERS[header.major]
    found: list[Payload] = []
    kind, at = header.next_payload, HEADER_SIZE
    while kind and at < end:
        if len(found) == MAX_PAYLOADS:
            damage.append(Damage(at, f"more than {MAX_PAYLOADS} payloads"))
            break
        if at + 4 > end:
            damage.append(Damage(at, f"payload header needs 4 bytes, {end - at} left"))
            break
        following, flags = data[at], data[at + 1]
        length = data[at + 2] << 8 | data[at + 3]
        stop = at + length
        if length < GENERIC_HEADER or stop > end:
            name = payload_name(header.major, kind)
            damage.append(Damage(at + 2, f"{name} payload says {length} bytes, {end - at} left"))
            break
        last = header.major == IKEV2 and kind in (SK, SKF)
        body = _read_body(readers.get(kind, b.Opaque.read), data, at + 4, stop, damage)
        found.append(Payload(kind, body, flags, at, following if last else 0))
        at, kind = stop, 0 if last else following
    if kind and at >= end and not damage:
        damage.append(Damage(at, f"{payload_name(header.major, kind)} payload announced, message ends"))
    elif at < end and not damage:
        damage.append(Damage(at, f"{end - at} bytes after the last payload"))
    return found


def _read_body(reader: Reader, data: bytes, at: int, stop: int, damage: list[Damage]) -> Body:
    cur = Cursor(data, at, stop)
    try:
        body = reader(cur)
    except UnreadableInput as error:
        damage.append(Damage(error.place if error.place is not None else at, error.what))
        return b.Opaque(data[at:stop])
    if cur.left:
        damage.append(Damage(cur.at, f"{cur.left} bytes of the payload are not accounted for"))
        return b.Opaque(data[at:stop])
    return body


def encode(message: Message) -> bytes:
    """Write a message; payload lengths, the chain and the total length are worked out anew.

    Raises ValueError where there is no header to write.
    """
    header = message.header
    if header is None:
        raise ValueError("a message without a header has no encoding")
    payloads = message.payloads
    if header.major == 1 and header.flags & FLAG_V1_ENCRYPTED:
        body = payloads[0].body.write() if payloads else b""
        first = payloads[0].kind if payloads else header.next_payload
    else:
        body = _write_chain(payloads)
        first = payloads[0].kind if payloads else 0
    length = HEADER_SIZE + len(body)
    head = HEADER.pack(
        header.spi_i, header.spi_r, first, header.version, header.exchange, header.flags, header.message_id, length
    )
    return head + body + message.trailing


def _write_chain(payloads: tuple[Payload, ...]) -> bytes:
    parts = []
    for index, payload in enumerate(payloads):
        following = payload.next_inside
        if index + 1 < len(payloads):
            following = payloads[index + 1].kind
        body = payload.body.write()
        parts.append(bytes([following, payload.flags]) + (4 + len(body)).to_bytes(2, "big") + body)
    return b"".join(parts)
