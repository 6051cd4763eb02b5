"""A text source with every line's number and, where it was understood, what it says as a mark and a colour."""

from __future__ import annotations

from stomion.exchange.story import CHILD_FAILURES, IKE_FAILURES, SILENCE
from stomion.jobs.together import Moment
from stomion.model.event import Event, What
from stomion.tui.spans import Line, cut, left, right

_GOOD = frozenset({What.IKE_UP, What.CHILD_UP, What.AUTH_OK, What.AGREED})


def mark_of(event: Event | None) -> tuple[str, str]:
    """(glyph, tone): a stroke for a refusal, a doubtful one for a guess, a line for success, dots for silence, a small arrow for all
    else that was understood."""
    if event is None:
        return " ", "plain"
    if event.guessed:
        return "╱", "doubt"
    if (
        event.what in IKE_FAILURES
        or event.what in CHILD_FAILURES
        or event.what in (What.PROPOSAL_REFUSED, What.REFUSED)
    ):
        return "╱", "change"
    if event.what in _GOOD:
        return "━", "proven"
    if event.what in SILENCE or event.what in (What.PEER_LOST, What.REKEY_FAILED):
        return "┈", "doubt"
    return "›", "source"


def text_line(
    number: int, digits: int, text: str, event: Event | None, width: int, offset: int = 0, other: bool = False
) -> Line:
    """One line of the file; `offset` columns are scrolled out at the left. `other`: it tells of another matter than the present tunnel."""
    glyph, tone = mark_of(event)
    if other:
        return [
            (right(str(number), digits) + " ", "faint"), (glyph + " ", "faint"), (cut(text[offset:], max(4, width - digits - 3)), "faint"),
        ]  # fmt: skip
    body = tone if event is not None and tone in ("change", "proven", "doubt") else "plain" if event else "muted"
    return [
        (right(str(number), digits) + " ", "faint"),
        (glyph + " ", tone),
        (cut(text[offset:], max(4, width - digits - 3)), body),
    ]


def digits_for(count: int) -> int:
    """Columns for line numbers."""
    return max(4, len(str(count)))


CLOCK = 12
"""Columns of a time of day with milliseconds."""


def _clock_of(moment: Moment, before: Moment | None) -> str:
    """The time, left away where the row above has the same."""
    return "" if before is not None and before.clock == moment.clock and before.side == moment.side else moment.clock


def _tone_of(moment: Moment) -> tuple[str, str, str]:
    """(mark, its tone, the text's tone) of a moment; a message has its own mark."""
    if moment.event is None:
        return "▪", "source", "source"
    glyph, tone = mark_of(moment.event)
    return glyph, tone, tone if tone in ("change", "proven", "doubt") else "plain"


def merged_line(moment: Moment, before: Moment | None, names: tuple[str, str], width: int) -> Line:
    """One moment of the timeline with the end it is from."""
    glyph, tone, body = _tone_of(moment)
    column = min(18, max(len(n) for n in names))
    return [
        (" " + left(_clock_of(moment, before), CLOCK) + " ", "faint"),
        (left(cut(names[moment.side], column), column) + " ", "plain" if moment.side == 0 else "muted"),
        (glyph + " ", tone),
        (cut(moment.text, max(4, width - CLOCK - column - 6)), body),
    ]


def facing_line(moment: Moment, before: Moment | None, width: int) -> Line:
    """One moment on its end's page, the other page left empty; the seam runs between."""
    glyph, tone, body = _tone_of(moment)
    half = (width - 3) // 2
    room = max(4, half - CLOCK - 4)
    page: Line = [
        (" " + left(_clock_of(moment, before), CLOCK) + " ", "faint"),
        (glyph + " ", tone),
        (left(cut(moment.text, room), room), body),
    ]
    blank: Line = [(" " * half, "plain")]
    return [*(page if moment.side == 0 else blank), (" │ ", "faint"), *(blank if moment.side == 0 else page)]


def facing_head(names: tuple[str, str], width: int) -> Line:
    """The two ends' names over their pages."""
    half = (width - 3) // 2
    return [
        (" " + left(cut(names[0], half - 1), half - 1), "!plain"),
        (" │ ", "faint"),
        (" " + cut(names[1], half - 1), "!plain"),
    ]
