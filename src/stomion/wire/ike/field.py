"""A line of the ledger: one field of a message with its own bytes and what they mean."""

from __future__ import annotations

from dataclasses import dataclass

SPACE, DELETE = 0x20, 0x7F
"""Printable ASCII lies between them."""


@dataclass(frozen=True, slots=True)
class Field:
    """`offset` is from the start of the message; `value` is None where the field is no number; `depth` is its nesting."""

    offset: int
    raw: bytes
    name: str
    value: int | None = None
    says: str = ""
    depth: int = 0
    kind: str = ""
    """What a proposal calls it (encryption, group ...), empty for all else."""


def printable(data: bytes, limit: int = 64) -> str:
    """Text where the bytes are plain ASCII, otherwise hexadecimal; nothing that could steer a terminal."""
    if data and all(SPACE <= byte < DELETE for byte in data):
        return data[:limit].decode("ascii") + ("…" if len(data) > limit else "")
    return data[: limit // 2].hex() + ("…" if len(data) > limit // 2 else "")
