"""A document as data: a title, remarks, and sections of rows. Formats turn it into text, a page or a sheet of paper."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Section:
    """A heading with a table (`head` names its columns; rows may be empty) and sentences below it."""

    title: str
    head: tuple[str, ...] = ()
    rows: tuple[tuple[str, ...], ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Document:
    """`lead` are the sentences under the title."""

    title: str
    lead: tuple[str, ...] = ()
    sections: tuple[Section, ...] = ()
