"""A message as a ledger: every field on a line with its offset, its own bytes, number, name and meaning."""

from __future__ import annotations

from stomion.wire import registries as reg
from stomion.wire.ike.bodies import Opaque
from stomion.wire.ike.field import Field
from stomion.wire.ike.message import HEADER, HEADER_SIZE, Header, Message, payload_name
from stomion.wire.ike.numbers import IKEV2, ExchangeV1, ExchangeV2, PayloadV1, PayloadV2

_V2_FLAGS = ((0x08, "from the initiator"), (0x10, "higher version possible"), (0x20, "response"))
_V1_FLAGS = ((0x01, "encrypted"), (0x02, "commit"), (0x04, "authentication only"))


def ledger(message: Message) -> list[Field]:
    """All lines of a message in the order of its bytes. Damage is not among them: it stands in `message.damage`."""
    if message.header is None:
        return [Field(0, message.trailing, "no IKE header", None, message.damage[0].text)]
    lines = _header_lines(message.header)
    following = [p.kind for p in message.payloads[1:]]
    for payload, after in zip(message.payloads, [*following, 0], strict=False):
        body = payload.body.write()
        name = payload_name(message.header.major, payload.kind)
        sealed = message.header.major == 1 and message.header.flags & 1
        size = 0 if sealed else 4
        raw = bytes([payload.next_inside or after, payload.flags]) + (4 + len(body)).to_bytes(2, "big") if size else b""
        says = f"{size + len(body)} bytes" + (", critical" if payload.flags & 0x80 else "")
        lines.append(Field(payload.offset, raw, name, payload.kind, says, 0))
        if isinstance(payload.body, Opaque) and _may_hold_secrets(message.header, payload.kind):
            # It could not be read, so that nobody knows where in it a password stands.
            lines.append(Field(payload.offset + size, b"", "data", None, f"{len(body)} bytes, not shown", 1))
        else:
            lines.extend(payload.body.fields(payload.offset + size))
    if message.trailing:
        at = min(message.header.length, HEADER_SIZE + 65535)
        hidden = any(_may_hold_secrets(message.header, p.kind) for p in message.payloads)
        says = f"{len(message.trailing)} bytes{', not shown' * hidden}"
        lines.append(Field(at, b"" if hidden else message.trailing, "after the message", None, says))
    return lines


def _may_hold_secrets(header: Header, kind: int) -> bool:
    """May a payload hold what a user typed? All of IKEv1's transaction exchange, configuration and EAP, and in a message that was opened
    whatever calls itself by a number that nobody knows."""
    if header.major == IKEV2:
        opened = header.exchange != ExchangeV2.IKE_SA_INIT and kind not in reg.V2_PAYLOADS
        return opened or kind in (PayloadV2.CP, PayloadV2.EAP)
    return header.exchange == ExchangeV1.TRANSACTION or kind == PayloadV1.ATTRIBUTES


def _header_lines(header: Header) -> list[Field]:
    raw = HEADER.pack(
        header.spi_i,
        header.spi_r,
        header.next_payload,
        header.version,
        header.exchange,
        header.flags,
        header.message_id,
        header.length,
    )
    first = payload_name(header.major, header.next_payload) if header.next_payload else "none"
    flags = ", ".join(t for bit, t in (_V2_FLAGS if header.major == IKEV2 else _V1_FLAGS) if header.flags & bit)
    answered = "not yet known" if not any(header.spi_r) else header.spi_r.hex()
    return [
        Field(0, raw[:8], "initiator SPI", None, header.spi_i.hex()),
        Field(8, raw[8:16], "responder SPI", None, answered),
        Field(16, raw[16:17], "first payload", header.next_payload, first),
        Field(17, raw[17:18], "version", header.version, f"{header.major}.{header.version & 15}"),
        Field(18, raw[18:19], "exchange", header.exchange, header.exchange_name),
        Field(19, raw[19:20], "flags", header.flags, flags or "none"),
        Field(20, raw[20:24], "message ID", header.message_id, ""),
        Field(24, raw[24:28], "length", header.length, "bytes"),
    ]


def attribute_name(number: int, phase: int = 1) -> str:
    """Name of an IKEv1 attribute, for people who read hexadecimal attribute values."""
    return reg.name_of(reg.V1_ATTRIBUTES if phase == 1 else reg.V1_IPSEC_ATTRIBUTES, number)
