"""A text source with every line's number and, where it was understood, what it says as a mark and a colour."""

from __future__ import annotations

from stomion.exchange.story import CHILD_FAILURES, IKE_FAILURES, SILENCE
from stomion.model.event import Event, What
from stomion.tui.spans import Line, cut, right

_GOOD = frozenset({What.IKE_UP, What.CHILD_UP, What.AUTH_OK, What.AGREED})


def mark_of(event: Event | None) -> tuple[str, str]:
    """(glyph, tone): a stroke for a refusal, a line for success, dots for silence, a small arrow for all else understood."""
    if event is None:
        return " ", "plain"
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


def text_line(number: int, digits: int, text: str, event: Event | None, width: int, offset: int = 0) -> Line:
    """One line of the file; `offset` columns are scrolled out at the left."""
    glyph, tone = mark_of(event)
    body = tone if event is not None and tone in ("change", "proven", "doubt") else "plain" if event else "muted"
    return [
        (right(str(number), digits) + " ", "faint"),
        (glyph + " ", tone),
        (cut(text[offset:], max(4, width - digits - 3)), body),
    ]


def digits_for(count: int) -> int:
    """Columns for line numbers."""
    return max(4, len(str(count)))
