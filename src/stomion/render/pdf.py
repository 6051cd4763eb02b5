"""A document as a PDF on A4, set by a document library: it wraps, pages and repeats the heads of tables."""

from __future__ import annotations

from datetime import UTC, datetime
from importlib.util import find_spec
from pathlib import Path

from fpdf import FPDF
from fpdf.enums import TableBordersLayout, XPos, YPos
from fpdf.fonts import FontFace

from stomion.render.document import Document, Section

MARGIN_MM = 18
TITLE, HEADING, BODY = 15, 11, 9
"""Sizes in points."""
_INK, _RULE, _PAGE_NUMBER = (20, 28, 38), (150, 160, 170), (110, 120, 130)


class _Page(FPDF):
    """A4 with the page's number at its foot."""

    def footer(self) -> None:
        self.set_y(-12)
        self.set_font(size=8)
        self.set_text_color(*_PAGE_NUMBER)
        self.cell(0, 5, f"{self.page_no()} of {{nb}}", align="R")
        self.set_text_color(*_INK)


def render(document: Document) -> bytes:
    """All pages. The same document gives the same bytes: the moment of making is left at the epoch, which readers show as none."""
    page = _Page(format="A4")
    page.set_creation_date(datetime.fromtimestamp(0, UTC))
    page.set_title(document.title)
    page.set_margin(MARGIN_MM)
    page.set_auto_page_break(True, MARGIN_MM)
    _fonts(page)
    page.add_page()
    page.set_text_color(*_INK)
    _text(page, document.title, TITLE, bold=True)
    page.ln(2)
    for text in document.lead:
        _text(page, text, BODY)
    for section in document.sections:
        _section(page, section)
    return bytes(page.output())


def _fonts(page: FPDF) -> None:
    """Letters beyond Latin-1 need a font of their own; the drawings' library brings one along."""
    spec = find_spec("matplotlib")
    places = list(spec.submodule_search_locations or ()) if spec is not None else []
    folder = Path(places[0]) / "mpl-data" / "fonts" / "ttf" if places else Path("-")
    files = {"": folder / "DejaVuSans.ttf", "B": folder / "DejaVuSans-Bold.ttf"}
    if all(file.is_file() for file in files.values()):
        for style, file in files.items():
            page.add_font("body", style, str(file))
        page.set_font("body", size=BODY)
    else:
        page.set_font("helvetica", size=BODY)


def _text(page: FPDF, text: str, size: int, *, bold: bool = False) -> None:
    page.set_font(style="B" if bold else "", size=size)
    shown = text if page.is_ttf_font else text.encode("latin-1", "replace").decode("latin-1")
    page.multi_cell(0, size * 0.5, shown, align="L", new_x=XPos.LMARGIN, new_y=YPos.NEXT)


def _section(page: FPDF, section: Section) -> None:
    page.ln(4)
    if page.will_page_break(30):
        page.add_page()
    _text(page, section.title, HEADING, bold=True)
    page.ln(1)
    if section.rows:
        _table(page, section)
        page.ln(1)
    for note in section.notes:
        _text(page, note, BODY)
        page.ln(0.6)


def _table(page: FPDF, section: Section) -> None:
    """Columns share the width as their longest cells do, none below a tenth."""
    longest = [max(len(row[i]) for row in (section.head, *section.rows)) for i in range(len(section.head))]
    floor = max(1, sum(longest) // 10)
    page.set_font(style="", size=BODY)
    page.set_draw_color(*_RULE)
    with page.table(
        col_widths=tuple(max(n, floor) for n in longest),
        borders_layout=TableBordersLayout.HORIZONTAL_LINES,
        headings_style=FontFace(emphasis="BOLD"),
        line_height=BODY * 0.55,
        text_align="LEFT",
    ) as table:
        for cells in (section.head, *section.rows):
            row = table.row()
            for cell in cells:
                row.cell(cell if page.is_ttf_font else cell.encode("latin-1", "replace").decode("latin-1"))
