"""What a reader of one kind of file is given, and what a kind is: how it is recognised and how it is read.

A kind is one module: its `Kind` says by the first bytes (or by the place in the case) whether a file is of it, and reads it into the
evidence. The loop over all kinds, with its one guard, is in folder.py; the list of kinds in kinds.py.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Protocol, TypeVar

from stomion.case.evidence import Evidence, Source
from stomion.ingest.item import Item
from stomion.model.provenance import NotRecognised, Problem
from stomion.vocabulary.clean import one_line
from stomion.vocabulary.secrets import without_secrets

Made = TypeVar("Made")
Tick = Callable[[str, int], None]
"""Called with the file's name and lines or packets read so far; may raise Cancelled."""


@dataclass(slots=True)
class Years:
    """The year for logs that do not write it, in UTC: the one that captures and records of the case speak of."""

    seen: int | None = None

    def note(self, at: float) -> None:
        """A moment of the case. One outside the calendar, or of a clock that was never set, tells nothing."""
        if self.seen is None and at > 86_400:
            try:
                self.seen = datetime.fromtimestamp(at, UTC).year
            except (ValueError, OverflowError, OSError):
                return

    def year_for(self, path: Path) -> int:
        """The case's year, else that of the file's last change, else this calendar's first."""
        if self.seen is not None:
            return self.seen
        try:
            return datetime.fromtimestamp(path.stat().st_mtime, UTC).year
        except (ValueError, OverflowError, OSError):
            return 1970


class Maker(Protocol):
    """Has what was made of a file's bytes before: in an earlier reading, or ahead of its turn in this one."""

    def made(self, item: Item, data: bytes, kind: type[Made], make: Callable[[], Made]) -> Made:
        """What is made of a file's bytes alone; `make` makes it where nobody did."""


@dataclass(slots=True)
class Reading:
    """One file on its way into the evidence. `head` is its first bytes, unpacked."""

    item: Item
    head: bytes
    size: int
    evidence: Evidence
    tick: Tick
    years: Years
    maker: Maker | None = None
    """Who may have made something of the file before."""

    def problem(self, text: str, line: int | None = None) -> None:
        """One line about what could not be read."""
        self.evidence.problems.append(Problem(self.item.name, without_secrets(one_line(text)), line))

    def source(self, kind: str, count: int = 0, unit: str = "", *, used: bool = True, site: bool = True) -> None:
        """The file counts as read."""
        owner = self.item.site if site else None
        self.evidence.sources.append(Source(self.item.name, owner, kind, self.size, used, count, unit))

    def refuse(self, why: str) -> None:
        """The file is listed as not recognised."""
        self.evidence.not_recognised.append(NotRecognised(self.item.name, why))

    def about(self, count: int) -> None:
        """So many lines or packets are read; raises Cancelled where the user stopped it."""
        self.tick(self.item.name, count)


@dataclass(frozen=True, slots=True)
class Kind:
    """`fits` gets the item and the file's first bytes; the first kind of the list that fits reads the file."""

    name: str
    fits: Callable[[Item, bytes], bool]
    read: Callable[[Reading], None]
