"""Text in pieces with a tone each; fitted to columns by the width that a terminal gives them."""

from __future__ import annotations

from collections.abc import Iterable

from rich.cells import cell_len, set_cell_size

Span = tuple[str, str]
"""(text, tone). A tone is a name of the palette, with `!` before it for bold."""
Line = list[Span]


def width_of(line: Iterable[Span]) -> int:
    """Columns a line takes."""
    return sum(cell_len(text) for text, _ in line)


def cut(text: str, width: int) -> str:
    """At most `width` columns; an ellipsis stands for what is left out."""
    if cell_len(text) <= width:
        return text
    return set_cell_size(text, max(0, width - 1)).rstrip() + "…" if width > 0 else ""


def left(text: str, width: int) -> str:
    """Exactly `width` columns, text at the left."""
    return set_cell_size(cut(text, width), width)


def right(text: str, width: int) -> str:
    """Exactly `width` columns, text at the right."""
    text = cut(text, width)
    return " " * (width - cell_len(text)) + text


def clip(line: Line, width: int) -> Line:
    """A line in at most `width` columns, an ellipsis for what is left out."""
    if width_of(line) <= width:
        return line
    out: Line = []
    room = width
    for text, tone in line:
        out.append((cut(text, room), tone))
        room -= cell_len(text)
        if room <= 0:
            break
    return out


def wrap(text: str, width: int) -> list[str]:
    """Lines of at most `width` columns, broken at spaces; a longer word is broken where it must be."""
    lines: list[str] = []
    current = ""
    for word in text.split():
        while cell_len(word) > width > 0:
            if current:
                lines.append(current)
                current = ""
            lines.append(set_cell_size(word, width))
            word = word[len(set_cell_size(word, width)) :]
        joined = f"{current} {word}" if current else word
        if cell_len(joined) > width:
            lines.append(current)
            current = word
        else:
            current = joined
    return [*lines, current] if current else lines


def paragraph(text: str, tone: str, width: int, indent: int = 0) -> list[Line]:
    """A wrapped text as lines."""
    return [[(" " * indent, tone), (part, tone)] for part in wrap(text, max(10, width - indent))]
