"""The shape of a configuration: statements within statements, from signs, sections, tables, indentation or lines of commands alike."""

from __future__ import annotations

import re

from stomion.shapes.braced import braces
from stomion.shapes.heads import SECTION, closed, headed, marked_down, sections, stanzas, underlined, without_numbers
from stomion.shapes.marked import data, listed, tagged
from stomion.shapes.nested import indented
from stomion.shapes.paths import dotted, outlined
from stomion.shapes.statement import Statement
from stomion.shapes.tables import tabled

MAX_LINES = 20_000
"""Of a configuration; what stands beyond is not read."""
_COMMENT = re.compile(r"^\s*(?:[!#;]|//|--\s|rem\s)", re.IGNORECASE)
_TAIL_COMMENT = re.compile(r"\s(?:#|//|!)\s.*$")
_JSON = re.compile(r"\s*[{\[]\s*[\"{\[]")
_LISTS = re.compile(r"\s*(?:;[^\n]*\n\s*)*\([\w-]")


_HEADING = re.compile(r"^##+ \S", re.MULTILINE)


def statements_of(text: str) -> list[Statement]:
    """The top of a configuration."""
    text = "\n".join(text.replace("\r\n", "\n").split("\n")[:MAX_LINES])
    if _JSON.match(text):
        return data(text)
    if text.lstrip()[:1] == "<":
        return tagged(_without_comments(text, "<!--", "-->")[0])
    if _LISTS.match(text):
        return listed(text)
    if len(_HEADING.findall(text)) > 1:
        return marked_down(list(enumerate(text.split("\n"), 1)))
    text, tail = _without_comments(text.replace("\t", "    "), "/*", "*/")
    text += tail
    lines = [
        (n, "" if _COMMENT.match(line) else _TAIL_COMMENT.sub("", line)) for n, line in enumerate(text.split("\n"), 1)
    ]
    lines = without_numbers(lines)
    opened = sum(line.rstrip().endswith("{") for _, line in lines)
    if opened > 1:
        return braces(lines)
    if sum(SECTION.match(line) is not None for _, line in lines) > 1:
        return sections(lines)
    by_place = outlined(lines) or dotted(lines) or stanzas(lines) or underlined(lines) or closed(lines) or headed(lines)
    if by_place is not None:
        return by_place
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
