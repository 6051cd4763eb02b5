"""The wordings of a source as rows: how often, what was understood, and the words with their gaps."""

from __future__ import annotations

import re
from collections.abc import Sequence

from stomion.logs.learning import Learned
from stomion.logs.templates import Template
from stomion.tui.spans import Line, clip, cut, left, right, wrap

COUNT, SAYS = 8, 26
"""Columns of how many lines, and of what is understood."""
_GAPS = re.compile(r"(\{\w+\})")
EXAMPLES, WRAPPED = 3, 3
"""Lines shown as they are, and screen lines that the first of them may take."""
PLACES = 6
"""Numbers of lines that are told of a wording."""


def head(width: int) -> Line:
    """Names of the columns."""
    return [
        (right("lines", COUNT) + "   ", "faint"),
        (left("understood as", SAYS) + " ", "faint"),
        (cut("wording", width - COUNT - SAYS - 4), "faint"),
    ]


def row(item: Template, learned: Learned | None, width: int) -> Line:
    """One wording; what is not understood stands out."""
    says, tone = (f"{learned.what.value}?", "doubt") if learned is not None else understood_as(item)
    body = "muted" if item.known else "plain"
    line: Line = [
        (right(f"{len(item.lines):,}", COUNT) + "   ", "strong" if not item.known else "faint"),
        (left(says, SAYS) + " ", tone),
    ]
    line += [(piece, "source" if piece[:1] == "{" else body) for piece in _GAPS.split(item.text) if piece]
    return clip(line, width)


def understood_as(item: Template) -> tuple[str, str]:
    """(words, tone) of what a wording was taken for."""
    if not item.understood:
        return ("not understood", "doubt") if item.weight > 1 else ("–", "faint")
    part = f" ({item.understood} of {len(item.lines)})" if not item.known else ""
    return item.says + part, "proven" if item.known else "doubt"


def foot(item: Template, learned: Learned | None, examples: Sequence[str], width: int) -> list[Line]:
    """Where the chosen wording stands, what speaks for what it was `learned` to say, and its first lines as they are."""
    places = ", ".join(f"{number:,}" for number in item.lines[:PLACES])
    more = f" and {len(item.lines) - PLACES:,} more" if len(item.lines) > PLACES else ""
    which = f"line{'s' if len(item.lines) > 1 else ''} {places}{more}"
    keys = "↵ shows them, l teaches what they say"
    lines: list[Line] = [[], [("  ", "plain"), (cut(which, width - 44), "muted"), ("  ·  " + keys, "faint")]]
    if learned is not None:
        lines.append([("  ", "plain"), (cut(beside(learned), width - 4), "doubt")])
    first = wrap(examples[0], width - 4)[:WRAPPED] if examples else []
    return lines + [[("  ", "plain"), (cut(text, width - 4), "plain")] for text in (*first, *examples[1:])]


def beside(learned: Learned) -> str:
    """`seems to say key refused, decided by the peer: it stands beside that 4 times of 4, at south/gateway.log:12 and 3 more`."""
    who = ", decided by the peer" if learned.far else ", this gateway's own deed"
    more = f" and {learned.count - 1} more" if learned.count > 1 else ""
    count = f"{learned.count} of {learned.moments} times"
    return f"seems to say “{learned.what.value}”{who}: it stands beside it {count}, at {learned.beside[0][1]}{more}"


def summary(found: Sequence[Template], left_out: int) -> str:
    """`57 wordings, 43 of them not understood`."""
    unknown = sum(not item.understood for item in found)
    tail = f"; {left_out:,} further lines are in none" if left_out else ""
    return f"{len(found):,} wordings, {unknown:,} not understood{tail}"
