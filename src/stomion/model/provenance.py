"""Where a fact comes from: every statement the program makes can be followed back to one of these."""

from __future__ import annotations

from dataclasses import dataclass

import msgspec


class Provenance(msgspec.Struct, frozen=True, gc=False):
    """A place in the evidence; `line`, `packet` and `record` count from 1. A record is an entry of a table that has no lines."""

    file: str
    site: str | None = None
    line: int | None = None
    packet: int | None = None
    record: int | None = None

    def __str__(self) -> str:
        if self.line is not None:
            return f"{self.file}:{self.line}"
        if self.packet is not None:
            return f"{self.file} #{self.packet}"
        if self.record is not None:
            return f"{self.file} entry {self.record}"
        return self.file


@dataclass(frozen=True, slots=True)
class Problem:
    """Something in the evidence that could not be read; the rest was."""

    file: str
    text: str
    line: int | None = None


@dataclass(frozen=True, slots=True)
class NotRecognised:
    """A file whose content is of no kind the program knows; it is listed, never guessed."""

    file: str
    why: str
