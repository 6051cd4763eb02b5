"""Pages: headings, tables, lists and terms of HTML as lines with signs before them."""

from __future__ import annotations

import html
import re

from stomion.shapes.nested import Lines

_PAGE = re.compile(r"<(?:html|table|tr|h[1-6]|ul|dl)\b[^<>]{0,400}>", re.IGNORECASE)
_PIECE = re.compile(r"<(/?)([A-Za-z][A-Za-z0-9]{0,9})\b[^<>]{0,1000}>|([^<]+)|<")
_DROPPED = frozenset({"script", "style", "head"})
MOST = 20_000
"""Rows and lines of a page."""


def is_page(text: str) -> bool:
    return len(_PAGE.findall(text[:100_000])) > 1


def page_lines(text: str) -> Lines:
    """A heading as `## Title`, a row of a table as cells between bars, an item as `- text`, anything else as it stands."""
    page = _Page()
    line = 1
    for m in _PIECE.finditer(text):
        if len(page.out) > MOST:
            break
        if m[2]:
            page.tag(m[2].lower(), bool(m[1]), line)
        elif m[3] and not page.dropped:
            page.text += " ".join(html.unescape(m[3]).split()) + (" " if m[3][-1:].isspace() else "")
        line += m[0].count("\n")
    page.close(line)
    page.end()
    return page.out


class _Page:
    def __init__(self) -> None:
        self.out: Lines = []
        self.text = ""
        self.cells: list[str] | None = None
        self.table: list[tuple[int, list[str]]] = []
        self.headed = False
        self.dropped = ""
        self.before = ""

    def tag(self, name: str, ends: bool, line: int) -> None:
        if self.dropped:
            self.dropped = "" if ends and name == self.dropped else self.dropped
        elif name in _DROPPED and not ends:
            self.dropped = name
        elif name == "table":
            self.close(line)
            self._end_table()
        elif name == "tr":
            self._row(line)
            self.cells = None if ends else []
        elif name in ("td", "th"):
            self.headed = self.headed or name == "th"
            if ends and self.cells is not None:
                self.cells.append(self.text.strip().replace("|", "/"))
            self.text = ""
        elif name in ("h1", "h2", "h3", "h4", "h5", "h6", "li", "dt", "dd", "p", "div", "br", "ul", "ol", "dl", "pre"):
            self.close(line)
            self.before = (
                {"li": "- ", "dd": "  "}.get(name, "#" * int(name[1]) + " " if name[0] == "h" else "")
                if not ends
                else ""
            )

    def _row(self, line: int) -> None:
        if self.cells:
            self.table.append((line, self.cells))
        self.cells = None

    def end(self) -> None:
        self._end_table()

    def _end_table(self) -> None:
        """A table's rows between bars; where it has no heads and its first cells come again, the last two are a key and a value."""
        rows, self.table = self.table, []
        first = [cells[0] for _, cells in rows]
        width = max((len(cells) for _, cells in rows), default=0)
        if width > len(("key", "value")) and not self.headed and len(set(first)) * 2 <= len(first):
            rows.insert(0, (rows[0][0], [*(f"place {chr(97 + n)}" for n in range(width - 2)), "key", "value"]))
        for number, (line, cells) in enumerate(rows):
            self.out.append((line, "| " + " | ".join(cells) + " |"))
            if number == 0:
                self.out.append((line, "|" + " --- |" * len(cells)))
        self.out += [(rows[-1][0], "")] if rows else []
        self.headed = False

    def close(self, line: int) -> None:
        """What was told so far is a line."""
        self._row(line)
        if self.text.strip():
            self._end_table()
            self.out.append((line, self.before + self.text.strip()))
        self.text = ""
