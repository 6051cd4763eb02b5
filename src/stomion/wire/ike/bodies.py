"""The small payload bodies: each reads itself from a cursor, writes the same bytes back and lays out its ledger lines.

Sources: RFC 2408 3.7-3.16 (IKEv1), RFC 7296 3.4-3.16 (IKEv2), RFC 7383 2.5 (fragments), RFC 3947 5 (NAT payloads).
"""

from __future__ import annotations

import ipaddress

import msgspec

from stomion.wire import registries as reg
from stomion.wire.cursor import Cursor
from stomion.wire.ike.field import Field, printable
from stomion.wire.ike.numbers import IKEV2, INVALID_KE_PAYLOAD

GROUP_BYTES = 2
"""INVALID_KE_PAYLOAD carries a group's number (RFC 7296 1.3)."""


class Opaque(msgspec.Struct, frozen=True, gc=False):
    """A body that is one run of bytes: nonce, hash, signature, vendor ID, NAT-D, anything unknown."""

    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> Opaque:
        return cls(cur.rest())

    def write(self) -> bytes:
        return self.data

    def fields(self, at: int) -> list[Field]:
        known = reg.VENDOR_IDS.get(self.data) or reg.VENDOR_IDS.get(self.data[:16])
        return [Field(at, self.data, "data", None, known or f"{len(self.data)} bytes", 1)] if self.data else []


class KeV1(msgspec.Struct, frozen=True, gc=False):
    """Key exchange of IKEv1: the public value alone, its group stands in the SA."""

    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> KeV1:
        return cls(cur.rest())

    def write(self) -> bytes:
        return self.data

    def fields(self, at: int) -> list[Field]:
        return [Field(at, self.data, "public value", None, f"{len(self.data)} bytes", 1)]


class KeV2(msgspec.Struct, frozen=True, gc=False):
    """Key exchange of IKEv2 (RFC 7296 3.4)."""

    group: int
    reserved: int
    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> KeV2:
        return cls(cur.u16(), cur.u16(), cur.rest())

    def write(self) -> bytes:
        return self.group.to_bytes(2, "big") + self.reserved.to_bytes(2, "big") + self.data

    def fields(self, at: int) -> list[Field]:
        raw = self.write()
        name = reg.name_of(reg.GROUPS, self.group)
        return [
            Field(at, raw[:4], "group", self.group, name, 1, "group"),
            Field(at + 4, self.data, "public value", None, f"{len(self.data)} bytes", 1),
        ]


_NOTIFY_NAMES = {1: reg.V1_NOTIFIES, 2: reg.V2_NOTIFIES}


class Notify(msgspec.Struct, frozen=True, gc=False):
    """A notification; `doi` is None in IKEv2, which has none (RFC 7296 3.10, RFC 2408 3.14)."""

    doi: int | None
    protocol: int
    spi: bytes
    kind: int
    data: bytes = b""

    @property
    def version(self) -> int:
        return 2 if self.doi is None else 1

    @property
    def name(self) -> str:
        return reg.name_of(_NOTIFY_NAMES[self.version], self.kind)

    @property
    def is_error(self) -> bool:
        return self.kind < reg.V2_ERROR_BELOW

    @property
    def wanted_group(self) -> int | None:
        """The group an INVALID_KE_PAYLOAD asks for (RFC 7296 1.2)."""
        if self.version == IKEV2 and self.kind == INVALID_KE_PAYLOAD and len(self.data) == GROUP_BYTES:
            return int.from_bytes(self.data, "big")
        return None

    @classmethod
    def read_v1(cls, cur: Cursor) -> Notify:
        doi, protocol, size, kind = cur.u32(), cur.u8(), cur.u8(), cur.u16()
        return cls(doi, protocol, cur.take(size), kind, cur.rest())

    @classmethod
    def read_v2(cls, cur: Cursor) -> Notify:
        protocol, size, kind = cur.u8(), cur.u8(), cur.u16()
        return cls(None, protocol, cur.take(size), kind, cur.rest())

    def write(self) -> bytes:
        doi = b"" if self.doi is None else self.doi.to_bytes(4, "big")
        return doi + bytes([self.protocol, len(self.spi)]) + self.kind.to_bytes(2, "big") + self.spi + self.data

    def fields(self, at: int) -> list[Field]:
        raw = self.write()
        head = 4 if self.doi is None else 8
        kind_at = head - 2
        lines = [Field(at, raw[:kind_at], "protocol, SPI size", self.protocol, self._protocol(), 1)]
        lines.append(Field(at + kind_at, raw[kind_at:head], "type", self.kind, self.name, 1))
        if self.spi:
            lines.append(Field(at + head, self.spi, "SPI", None, self.spi.hex(), 1))
        if self.data:
            group = self.wanted_group
            says = f"asks for group {group}" if group is not None else f"{len(self.data)} bytes"
            lines.append(Field(at + head + len(self.spi), self.data, "data", group, says, 1))
        return lines

    def _protocol(self) -> str:
        return reg.name_of(reg.PROTOCOLS, self.protocol) if self.protocol else "of the IKE SA"


class Delete(msgspec.Struct, frozen=True, gc=False):
    """SAs its sender has ended (RFC 7296 3.11, RFC 2408 3.15)."""

    doi: int | None
    protocol: int
    spi_size: int
    spis: tuple[bytes, ...]

    @classmethod
    def read_v1(cls, cur: Cursor) -> Delete:
        doi = cur.u32()
        return cls._read_rest(cur, doi)

    @classmethod
    def read_v2(cls, cur: Cursor) -> Delete:
        return cls._read_rest(cur, None)

    @classmethod
    def _read_rest(cls, cur: Cursor, doi: int | None) -> Delete:
        protocol, size, count = cur.u8(), cur.u8(), cur.u16()
        # A size of zero takes no bytes, so only a real size bounds the count by the payload's length.
        spis = tuple(cur.take(size) for _ in range(count)) if size else ()
        return cls(doi, protocol, size, spis)

    def write(self) -> bytes:
        doi = b"" if self.doi is None else self.doi.to_bytes(4, "big")
        head = bytes([self.protocol, self.spi_size]) + len(self.spis).to_bytes(2, "big")
        return doi + head + b"".join(self.spis)

    def fields(self, at: int) -> list[Field]:
        raw = self.write()
        head = 4 if self.doi is None else 8
        lines = [Field(at, raw[:head], "protocol", self.protocol, reg.name_of(reg.PROTOCOLS, self.protocol), 1)]
        at += head
        for spi in self.spis:
            lines.append(Field(at, spi, "SPI", None, spi.hex(), 1))
            at += len(spi)
        return lines


class Identity(msgspec.Struct, frozen=True, gc=False):
    """An ID payload; `extra` is protocol and port in IKEv1, reserved in IKEv2 (RFC 2407 4.6.2, RFC 7296 3.5)."""

    kind: int
    extra: bytes
    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> Identity:
        return cls(cur.u8(), cur.take(3), cur.rest())

    def write(self) -> bytes:
        return bytes([self.kind]) + self.extra + self.data

    @property
    def text(self) -> str:
        """The identity as people write it."""
        try:
            if self.kind in (1, 5):
                return str(ipaddress.ip_address(self.data))
            if self.kind in (4, 6, 7, 8):
                half = len(self.data) // 2
                low, high = ipaddress.ip_address(self.data[:half]), ipaddress.ip_address(self.data[half:])
                if self.kind in (7, 8):
                    return f"{low}-{high}"
                return str(ipaddress.ip_network(f"{low}/{bin(int(high)).count('1')}", strict=False))
        except ValueError:
            pass
        return printable(self.data)

    def fields(self, at: int) -> list[Field]:
        raw = self.write()
        return [
            Field(at, raw[:4], "type", self.kind, reg.name_of(reg.ID_TYPES, self.kind), 1),
            Field(at + 4, self.data, "identity", None, self.text, 1),
        ]


class TsRange(msgspec.Struct, frozen=True, gc=False):
    """One traffic selector; `data` holds ports and addresses as they came (RFC 7296 3.13.1)."""

    kind: int
    protocol: int
    data: bytes

    @property
    def text(self) -> str:
        """`10.96.0.0-10.96.15.255`, with protocol and ports where they are not `any`."""
        half = (len(self.data) - 4) // 2
        try:
            low = ipaddress.ip_address(self.data[4 : 4 + half])
            high = ipaddress.ip_address(self.data[4 + half :])
        except ValueError:
            return self.data.hex()
        first, last = int.from_bytes(self.data[:2], "big"), int.from_bytes(self.data[2:4], "big")
        ports = "" if (first, last) == (0, 65535) else f" ports {first}-{last}"
        return f"{low}-{high}" + (f" protocol {self.protocol}" if self.protocol else "") + ports


class TsList(msgspec.Struct, frozen=True, gc=False):
    """A TSi or TSr payload (RFC 7296 3.13)."""

    reserved: bytes
    ranges: tuple[TsRange, ...]

    @classmethod
    def read(cls, cur: Cursor) -> TsList:
        count, reserved = cur.u8(), cur.take(3)
        ranges = []
        for _ in range(count):
            kind, protocol, length = cur.u8(), cur.u8(), cur.u16()
            ranges.append(TsRange(kind, protocol, cur.take(length - 4)))
        return cls(reserved, tuple(ranges))

    def write(self) -> bytes:
        parts = [bytes([len(self.ranges)]), self.reserved]
        for item in self.ranges:
            parts.append(bytes([item.kind, item.protocol]) + (4 + len(item.data)).to_bytes(2, "big") + item.data)
        return b"".join(parts)

    def fields(self, at: int) -> list[Field]:
        raw = self.write()
        lines = [Field(at, raw[:4], "selectors", len(self.ranges), "", 1)]
        at += 4
        for item in self.ranges:
            size = 4 + len(item.data)
            lines.append(Field(at, raw[:size], reg.name_of(reg.TS_TYPES, item.kind), item.kind, item.text, 1))
            at += size
        return lines


class Coded(msgspec.Struct, frozen=True, gc=False):
    """One number, then data: CERT and CERTREQ (encoding)."""

    kind: int
    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> Coded:
        return cls(cur.u8(), cur.rest())

    def write(self) -> bytes:
        return bytes([self.kind]) + self.data

    def fields(self, at: int) -> list[Field]:
        says = reg.name_of(reg.CERT_ENCODINGS, self.kind)
        return [
            Field(at, bytes([self.kind]), "encoding", self.kind, says, 1),
            Field(at + 1, self.data, "data", None, f"{len(self.data)} bytes", 1),
        ]


class Auth(msgspec.Struct, frozen=True, gc=False):
    """Authentication data of IKEv2 (RFC 7296 3.8). The data is a proof of the key, never shown."""

    method: int
    reserved: bytes
    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> Auth:
        return cls(cur.u8(), cur.take(3), cur.rest())

    def write(self) -> bytes:
        return bytes([self.method]) + self.reserved + self.data

    def fields(self, at: int) -> list[Field]:
        says = reg.name_of(reg.AUTH_METHODS, self.method)
        return [Field(at, self.write()[:4], "method", self.method, f"{says} · {len(self.data)} bytes", 1)]


class Sealed(msgspec.Struct, frozen=True, gc=False):
    """An encrypted body: SK, or all that follows the header of an encrypted IKEv1 message."""

    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> Sealed:
        return cls(cur.rest())

    def write(self) -> bytes:
        return self.data

    def fields(self, at: int) -> list[Field]:
        return [Field(at, self.data, "encrypted", None, f"{len(self.data)} bytes, keys not given", 1)]


class SealedFragment(msgspec.Struct, frozen=True, gc=False):
    """An encrypted fragment, SKF (RFC 7383 2.5)."""

    number: int
    total: int
    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> SealedFragment:
        return cls(cur.u16(), cur.u16(), cur.rest())

    def write(self) -> bytes:
        return self.number.to_bytes(2, "big") + self.total.to_bytes(2, "big") + self.data

    def fields(self, at: int) -> list[Field]:
        raw = self.write()
        return [
            Field(at, raw[:4], "fragment", self.number, f"{self.number} of {self.total}", 1),
            Field(at + 4, self.data, "encrypted", None, f"{len(self.data)} bytes", 1),
        ]


class FragmentV1(msgspec.Struct, frozen=True, gc=False):
    """A piece of an IKEv1 message in the pre-standard fragment payload (type 132): id, number, last-flag, data."""

    ident: int
    number: int
    last: int
    data: bytes

    @classmethod
    def read(cls, cur: Cursor) -> FragmentV1:
        return cls(cur.u16(), cur.u8(), cur.u8(), cur.rest())

    def write(self) -> bytes:
        return self.ident.to_bytes(2, "big") + bytes([self.number, self.last]) + self.data

    def fields(self, at: int) -> list[Field]:
        says = f"piece {self.number} of message {self.ident}" + (", the last" if self.last & 1 else "")
        return [
            Field(at, self.write()[:4], "fragment", self.number, says, 1),
            Field(at + 4, self.data, "data", None, f"{len(self.data)} bytes", 1),
        ]
