"""One file of a case: where it lies and what that says of whose it is, and its content as a whole."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from stomion.errors import UnreadableInput
from stomion.ingest.files import open_input

MAX_TABLE = 64 << 20
"""Bytes of a table or sheet that is read as a whole."""


@dataclass(frozen=True, slots=True)
class Item:
    """`name` is relative to the case; `site` and `host` are whose it is, `place` its first folder."""

    path: Path
    name: str
    site: str | None
    host: str | None
    place: str


def read_whole(item: Item) -> bytes:
    """All of a table or sheet. Raises UnreadableInput for one that is larger than any is."""
    with open_input(item.path) as stream:
        data = stream.read(MAX_TABLE + 1)
    if len(data) > MAX_TABLE:
        raise UnreadableInput(f"larger than {MAX_TABLE >> 20} MiB, which no table is")
    return data
