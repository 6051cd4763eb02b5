"""A document as a PDF on A4, set by matplotlib: plain pages of text in columns."""

from __future__ import annotations

import io
import textwrap
from typing import Any

import matplotlib
from matplotlib.backends.backend_pdf import PdfPages
from matplotlib.figure import Figure

from stomion.render.document import Document, Section

WIDTH, HEIGHT = 8.27, 11.69
LINES = 62
COLUMNS = 96
_SETTINGS: Any = {"pdf.fonttype": 42, "font.family": "DejaVu Sans", "font.size": 8.5}
Set = tuple[float, str, float, str]
"""(column in characters, text, size, weight)."""


def render(document: Document) -> bytes:
    """All pages."""
    lines = _lines(document)
    out = io.BytesIO()
    with (
        matplotlib.rc_context(_SETTINGS),
        PdfPages(out, metadata={"CreationDate": None, "Title": document.title}) as pages,
    ):
        for start in range(0, max(1, len(lines)), LINES):
            pages.savefig(_page(lines[start : start + LINES]))
    return out.getvalue()


def _page(lines: list[list[Set]]) -> Figure:
    figure = Figure(figsize=(WIDTH, HEIGHT))
    for row, line in enumerate(lines):
        y = 0.95 - row * (0.9 / LINES)
        for column, text, size, weight in line:
            # A dollar sign would begin a formula.
            figure.text(0.08 + column * 0.84 / COLUMNS, y, text.replace("$", "\\$"), size=size, weight=weight, va="top")
    return figure


def _lines(document: Document) -> list[list[Set]]:
    out: list[list[Set]] = [[(0, part, 14, "bold")] for part in textwrap.wrap(document.title, 60)]
    out.append([])
    for text in document.lead:
        out += [[(0, part, 8.5, "normal")] for part in textwrap.wrap(text, COLUMNS)]
    for section in document.sections:
        out += [[], [(0, section.title, 10.5, "bold")]]
        out += _table(section)
        for note in section.notes:
            out += [[(0, part, 8.5, "normal")] for part in textwrap.wrap(note, COLUMNS)]
    return out


def _table(section: Section) -> list[list[Set]]:
    if not section.rows:
        return []
    widths = [max(len(row[i]) for row in (section.head, *section.rows)) for i in range(len(section.head))]
    share = (COLUMNS - 2 * len(widths)) / max(1, sum(widths))
    room = [max(8, int(w * min(1.0, share))) for w in widths]
    starts = [sum(room[:i]) + 2 * i for i in range(len(room))]
    out: list[list[Set]] = []
    for row in (section.head, *section.rows):
        cells = [textwrap.wrap(cell, room[i]) or [""] for i, cell in enumerate(row)]
        for line in range(max(map(len, cells))):
            weight = "bold" if row is section.head else "normal"
            out.append([(starts[i], cell[line], 8.5, weight) for i, cell in enumerate(cells) if line < len(cell)])
    return out
