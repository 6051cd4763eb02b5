"""Data attributes: basic (type and value in four bytes) and variable ones (RFC 2408 3.3, RFC 7296 3.3.5)."""

from __future__ import annotations

from struct import Struct

import msgspec

from stomion.wire import registries as reg
from stomion.wire.cursor import Cursor
from stomion.wire.ike.field import Field


class Attribute(msgspec.Struct, frozen=True, gc=False):
    """`data` is None for a basic attribute, whose `value` is the 16-bit number; otherwise the value's own bytes."""

    kind: int
    value: int
    data: bytes | None = None

    def write(self) -> bytes:
        """Its exact bytes."""
        if self.data is None:
            return (0x8000 | self.kind).to_bytes(2, "big") + self.value.to_bytes(2, "big")
        return self.kind.to_bytes(2, "big") + len(self.data).to_bytes(2, "big") + self.data

    def field(
        self, at: int, names: dict[int, str], depth: int, values: dict[int, dict[int, str]] | None = None
    ) -> Field:
        """Its ledger line."""
        name = reg.name_of(names, self.kind)
        table = (values or {}).get(self.kind)
        says = reg.name_of(table, self.value) if table else f"{self.value:,}".replace(",", " ")
        return Field(at, self.write(), name, self.value, says, depth, _KINDS.get(name, ""))


_KINDS = {"encryption": "encryption", "hash": "integrity", "group": "group", "integrity": "integrity"}
_MAX_INT_BYTES = 8
_PAIR = Struct(">HH")


def read_attributes(cur: Cursor) -> tuple[Attribute, ...]:
    """All attributes to the end of the window. Raises Truncated."""
    found = []
    while cur.at < cur.end:
        kind, value = cur.unpack(_PAIR)
        if kind & 0x8000:
            found.append(Attribute(kind & 0x7FFF, value))
        else:
            data = cur.take(value)
            found.append(Attribute(kind, int.from_bytes(data[:_MAX_INT_BYTES], "big"), data))
    return tuple(found)


def write_attributes(attributes: tuple[Attribute, ...]) -> bytes:
    """The exact inverse of `read_attributes`."""
    return b"".join(a.write() for a in attributes)
