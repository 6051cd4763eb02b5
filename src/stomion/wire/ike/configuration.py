"""Configuration and EAP payloads: addresses handed out and users asked for. What may be a secret is never laid out.

Sources: RFC 7296 3.15-3.16, RFC 3748 4; IKEv1's transaction exchange carries the same attributes (mode-config, XAUTH).
"""

from __future__ import annotations

import ipaddress

import msgspec

from stomion.wire import registries as reg
from stomion.wire.cursor import Cursor
from stomion.wire.ike.attributes import Attribute, read_attributes, write_attributes
from stomion.wire.ike.field import Field, printable


class Configuration(msgspec.Struct, frozen=True, gc=False):
    """A configuration payload: CP of IKEv2 (RFC 7296 3.15), attributes of an IKEv1 transaction (mode-config, XAUTH)."""

    kind: int
    extra: bytes
    attributes: tuple[Attribute, ...]

    @classmethod
    def read(cls, cur: Cursor) -> Configuration:
        return cls(cur.u8(), cur.take(3), read_attributes(cur.window(cur.left)))

    def write(self) -> bytes:
        return bytes([self.kind]) + self.extra + write_attributes(self.attributes)

    def fields(self, at: int) -> list[Field]:
        lines = [Field(at, self.write()[:4], "type", self.kind, reg.name_of(reg.CP_TYPES, self.kind), 1)]
        at += 4
        for attribute in self.attributes:
            raw = attribute.write()
            name = reg.name_of(reg.CP_ATTRIBUTES, attribute.kind)
            # Of a secret the type and the length at most: a short one (a PIN) is its own length field.
            shown = raw[: 2 if attribute.data is None else 4] if attribute.kind in _SECRET_ATTRIBUTES else raw
            lines.append(Field(at, shown, name, attribute.kind, _configured(attribute), 2))
            at += len(raw)
        return lines


_ADDRESS_ATTRIBUTES = frozenset((1, 2, 3, 4, 6, 10))
_SECRET_ATTRIBUTES = frozenset((16522, 16523, 16528, 16529))
"""XAUTH's password, passcode, next PIN and answer: never laid out."""


def _configured(attribute: Attribute) -> str:
    if attribute.kind in _SECRET_ATTRIBUTES:
        return "not shown"
    data = attribute.data
    if data is None:
        return str(attribute.value)
    try:
        return str(ipaddress.ip_address(data)) if attribute.kind in _ADDRESS_ATTRIBUTES else printable(data)
    except ValueError:
        return printable(data)


class Eap(msgspec.Struct, frozen=True, gc=False):
    """An EAP message (RFC 7296 3.16, RFC 3748 4); only its head is laid out, as the rest may hold a secret."""

    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> Eap:
        return cls(cur.rest())

    def write(self) -> bytes:
        return self.data

    def fields(self, at: int) -> list[Field]:
        if not self.data:
            return []
        code = reg.name_of({1: "request", 2: "response", 3: "success", 4: "failure"}, self.data[0])
        return [
            Field(at, self.data[:1], "code", self.data[0], code, 1),
            Field(at + 1, b"", "data", None, f"{len(self.data) - 1} bytes, not shown", 1),
        ]
