"""The shape of a configuration: statements within statements, from signs, sections, tables, indentation or lines of commands alike."""

from __future__ import annotations

import re

from stomion.shapes.braced import braces
from stomion.shapes.drawn import with_dots, without_drawing
from stomion.shapes.elements import unwrapped
from stomion.shapes.fenced import with_heads, without_fences
from stomion.shapes.heads import SECTION, closed, headed, marked_down, sections, stanzas, underlined, without_numbers
from stomion.shapes.macros import without_breaks, without_names
from stomion.shapes.marked import data, listed, tagged
from stomion.shapes.nested import Lines, indented
from stomion.shapes.pages import is_page, page_lines
from stomion.shapes.pathed import by_numbers, pathed, under_names
from stomion.shapes.paths import dotted, outlined
from stomion.shapes.sentences import without_pronouns
from stomion.shapes.statement import Statement
from stomion.shapes.tables import tabled

MAX_LINES = 20_000
"""Of a configuration; what stands beyond is not read."""
_COMMENT = re.compile(r"^\s*(?:[!#;]|//|--\s|rem\s(?![\w ]{1,30}[:=]))", re.IGNORECASE)
_TAIL_COMMENT = re.compile(r"\s(?:#|//|!)\s.*$")
_JSON = re.compile(r"\s*[{\[]\s*[\"{\[]")
_LISTS = re.compile(r"\s*(?:;[^\n]*\n\s*)*\([\w-]")


_HEADING = re.compile(r"^##+ \S", re.MULTILINE)


def statements_of(text: str) -> list[Statement]:
    """The top of a configuration."""
    text = "\n".join(text.replace("\r\n", "\n").split("\n")[:MAX_LINES])
    return by_numbers(under_names(unwrapped(_read(text))))


def _read(text: str) -> list[Statement]:
    if _JSON.match(text):
        return data(text)
    if text.lstrip()[:1] == "<":
        if is_page(text):
            return _of_lines(page_lines(text))
        lines = list(enumerate(text.split("\n"), 1))
        if (apart := without_fences(lines)) is not lines:
            return _of_lines(apart)
        return tagged(_without_comments(text, "<!--", "-->")[0])
    if _LISTS.match(text):
        return listed(text)
    lines = with_heads(list(enumerate(text.split("\n"), 1)))
    if len(_HEADING.findall(text)) > 1 and not any(SECTION.match(line) for _, line in lines):
        return marked_down(lines)
    text, tail = _without_comments("\n".join(line for _, line in lines).replace("\t", "    "), "/*", "*/")
    text += tail
    return _of_lines(
        [(n, "" if _COMMENT.match(line) else _TAIL_COMMENT.sub("", line)) for n, line in enumerate(text.split("\n"), 1)]
    )


_PLAINER = (
    without_numbers, without_drawing, with_dots, without_fences, without_breaks, without_names, without_pronouns
)  # fmt: skip
"""What brings lines of other forms to those that are read."""


def _of_lines(lines: Lines) -> list[Statement]:
    if sum(line.startswith("##") for _, line in lines) > 1:
        return marked_down(lines)
    for plainer in _PLAINER:
        lines = plainer(lines)
    opened = sum(line.rstrip().endswith("{") for _, line in lines)
    if opened > 1 or (opened and any(line.strip() in ("}", "};") for _, line in lines)):
        return braces(lines)
    if sum(SECTION.match(line) is not None for _, line in lines) > 1:
        return sections(lines)
    for by_place in (outlined, dotted, pathed, stanzas, underlined, closed, headed):
        found = by_place(lines)
        if found is not None:
            return found
    tables, rest = tabled(lines)
    return sorted([*tables, *indented(rest)], key=lambda s: s.line) if tables else indented(lines)


def _without_comments(text: str, begin: str, close: str) -> tuple[str, str]:
    """The text with its comments reduced to the line breaks that they hold, and what a comment without an end takes of it."""
    out, at = [], 0
    while (start := text.find(begin, at)) >= 0:
        out.append(text[at:start])
        end = text.find(close, start + len(begin))
        if end < 0:
            return "".join(out), text[start:]
        out.append("\n" * text.count("\n", start, end))
        at = end + len(close)
    return "".join(out) + text[at:], ""
