"""A document as Markdown."""

from __future__ import annotations

from stomion.render.document import Document, Section


def render(document: Document) -> bytes:
    """The whole document, UTF-8."""
    parts = [f"# {_plain(document.title)}", *map(_plain, document.lead)]
    for section in document.sections:
        parts.append(f"## {_plain(section.title)}")
        if section.rows:
            parts.append(_table(section))
        parts.extend(_plain(note) for note in section.notes)
    return ("\n\n".join(parts) + "\n").encode()


def _table(section: Section) -> str:
    lines = [_row(section.head), "|" + "---|" * len(section.head)]
    return "\n".join([*lines, *(_row(row) for row in section.rows)])


def _row(cells: tuple[str, ...]) -> str:
    return "| " + " | ".join(_plain(c).replace("|", "\\|") for c in cells) + " |"


def _plain(text: str) -> str:
    """Text that no mark in it turns into anything else."""
    for sign in "\\`*_<>[]":
        text = text.replace(sign, "\\" + sign)
    return " ".join(text.split())
