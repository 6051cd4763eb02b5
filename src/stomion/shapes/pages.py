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
    return page.out


class _Page:
    def __init__(self) -> None:
        self.out: Lines = []
        self.text = ""
        self.cells: list[str] | None = None
        self.rows = 0
        self.dropped = ""
        self.before = ""

    def tag(self, name: str, ends: bool, line: int) -> None:
        if self.dropped:
            self.dropped = "" if ends and name == self.dropped else self.dropped
        elif name in _DROPPED and not ends:
            self.dropped = name
        elif name == "table":
            self.close(line)
            self.rows = 0
            self.out.append((line, ""))
        elif name == "tr":
            self._row(line)
            self.cells = None if ends else []
        elif name in ("td", "th"):
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
            self.out.append((line, "| " + " | ".join(self.cells) + " |"))
            self.rows += 1
            if self.rows == 1:
                self.out.append((line, "|" + " --- |" * len(self.cells)))
        self.cells = None

    def close(self, line: int) -> None:
        """What was told so far is a line."""
        self._row(line)
        if self.text.strip():
            self.out.append((line, self.before + self.text.strip()))
        self.text = ""
