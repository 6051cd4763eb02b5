"""Logs of which too little was understood by their words are gone through once more: who needs it, and what is gained."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence

from msgspec.structs import replace

from stomion.ingest.item import Item
from stomion.ingest.loglayout import Layout, records, turned
from stomion.ingest.reading import Reading
from stomion.logs.classify import REFUSALS
from stomion.logs.hexaddresses import in_decimal
from stomion.logs.lexicon import RELEVANT
from stomion.logs.neighbours import may_tell
from stomion.logs.subjects import subjects_of
from stomion.logs.threads import LOOKED_AT, in_turns, is_of_threads
from stomion.model.event import Event, What

Rows = Sequence[tuple[int, str]]
"""(number of a line, text) of every record of a log."""
SECOND_LOOK = 4 << 20
"""Bytes of a log that is gone through once more, every line of it, where too little was understood by its words."""

LARGE, KNOWN = 512 << 10, 0.9
"""Bytes of a log from which on it is gone through once only, if so much of what it says of negotiations was understood: half a millisecond
a line adds up."""


def is_told(events: Sequence[Event], *, at_least: bool = False) -> bool:
    """Does a log tell of a beginning, and of what came of it? Silence is an outcome where messages were told of that came before it.
    `at_least` asks for less: silence is one then, and what is turned away at the door has no beginning."""
    found = {event.what for event in events if event.peer is not None and (at_least or not event.guessed)}
    up = any(e.what is What.CHILD_UP and e.peer is not None and (e.spis or (e.my_ts and not at_least)) for e in events)
    if up:
        return at_least or bool(found & _BEFORE_IT)
    if not at_least and not found & _ON_THE_WAY:
        # What went well was told in words that are not known, if there was any.
        return False
    outcomes = _REASONS | _SILENCE
    begun = _BEGINNINGS | ({What.AGREED} | _AT_THE_DOOR if at_least else set())
    return not found.isdisjoint(outcomes) and not found.isdisjoint(begun)


_BEGINNINGS = frozenset((What.INITIATING, What.ASKED, What.SENT, What.RECEIVED))
_REASONS = REFUSALS | {What.CHILD_UP, What.INSTALL_FAILED, What.UNDECRYPTABLE, What.SEND_FAILED, What.PORT_CLOSED}
_SILENCE = {What.NO_ANSWER, What.GAVE_UP, What.PEER_LOST, What.RESENT}
_AT_THE_DOOR = {What.NO_PEER, What.VERSION_REFUSED, What.MODE_REFUSED}
"""What is refused before anything begins."""
_BEFORE_IT = {What.SENT, What.RECEIVED, What.AGREED, What.AUTH_OK}
"""Whoever tells of a Child SA tells of one of these before, unless in words that are not known."""
_ON_THE_WAY = {What.SENT, What.RECEIVED, What.AGREED, What.AUTH_OK, What.IKE_UP, What.CHILD_UP}


_GENERAL = (What.PROPOSAL_REFUSED, What.AUTH_REFUSED)
_SPI = re.compile(r"(?<![0-9a-z-])(?:0x)?(?=[0-9]*[a-f])(?=[a-f]*[0-9])[0-9a-f]{8}(?![0-9a-z-])")


def names_exchanges(events: Iterable[Event]) -> bool:
    """Does a log name messages by their exchange? Its words are the standards', and what it does not tell did not happen."""
    return any(e.what in (What.SENT, What.RECEIVED) and e.exchange is not None for e in events)


_IN_PATH = re.compile(r"(?<=[A-Za-z])\.((?:\d{1,3}\.){3}\d{1,3})\.(?=[A-Za-z])(?!in-addr)")
"""An address that is one of the names of a path with dots: `ike.192.0.2.1.state`."""


def looks_at(layout: Layout) -> tuple[str, ...]:
    """The ways in which lines below others are looked at, as in `records`."""
    return ("joined", "apart") if layout.bodies in ("indented", "below") else ("joined",)


def rows_of(item: Item, reading: Reading, layout: Layout, used: Collection[int], bodies: str) -> list[tuple[int, str]]:
    """(number of a line, text) of every record of a log but those in `used` lines, in the order of their time; `bodies` as in `records`."""
    found = records(
        item, reading, layout, lambda number, text: number not in used and not may_tell(text), bodies=bodies
    )
    return list(turned(found, layout))


def is_refused(events: Sequence[Event], rows: Sequence[tuple[int, str]]) -> bool:
    """Is what began refused for a reason that says of what, with no record after it that may tell of a Child SA all the same?"""
    found = [e for e in events if e.peer is not None and not e.guessed]
    # Once a proposal was agreed on, another one that is refused may be the child's, whatever a line calls it.
    general = (*_GENERAL, What.IKE_PROPOSAL_REFUSED) if any(e.what is What.AGREED for e in found) else _GENERAL
    reasons = [e.where.line or 0 for e in found if e.what in REFUSALS and e.what not in general]
    if not reasons or not any(e.what in _BEGINNINGS for e in found):
        return False
    # Several records may stand in one line.
    begun = next((place for place, (number, _) in enumerate(rows) if number == reasons[-1]), 0)
    return len({spi for _, text in rows[begun:] for spi in _SPI.findall(text.lower())}) < len(("in", "out"))


def best_told(looks: Iterable[list[Event]]) -> list[Event] | None:
    """The one of several readings of a log that tells of the most things; None where none of them is told."""
    return max(
        (events for events in looks if is_told(events, at_least=True)),
        key=lambda events: len({(event.what, event.peer) for event in events if not event.guessed}),
        default=None,
    )


_BESIDE = frozenset((What.NARROWED, What.SELECTORS_REFUSED, What.PFS_REFUSED, What.CHILD_PROPOSAL_REFUSED))
"""What a log may tell by its values alone, whose other lines are understood."""


def filled_in(events: Sequence[Event], second: Iterable[Event]) -> list[Event]:
    """Events of a log, with those of a second look at the lines that nothing was understood of which set values against each other."""
    known = {event.where.line for event in events}
    told = (e for e in second if e.what in _BESIDE and not e.guessed and not e.far and e.where.line not in known)
    more = list({e.where.line: e for e in told}.values())
    if not more:
        return list(events)
    return _in_order(events, events, more)


def told_twice(events: list[Event], looks: Sequence[Rows], look: Callable[[Rows], list[Event]]) -> list[Event]:
    """The events of a log, with those of a second look at its records where too little was understood: of the whole log, or of one peer."""
    if not is_told(events):
        return events if is_refused(events, looks[0]) else best_told(map(look, looks)) or events
    again = [look(rows) for rows in looks]
    first, second = _by_peer(events), [_by_peer(found) for found in again]
    often = Counter(peer for found in second for peer, about in found.items() for _ in about)
    better: dict[str, list[Event]] = {}
    for peer, _ in often.most_common(MOST_PEERS):
        if not _is_known(first.get(peer, []), looks[0]):
            better[peer] = best_told(found.get(peer, []) for found in second) or []
    gained = [e for about in better.values() for e in about]
    lines = {e.where.line for e in gained}
    kept = (e for e in events if not (e.where.line in lines or better.get(e.peer or "")))
    return filled_in(_in_order(events, kept, gained), (e for found in again for e in found))


MOST_PEERS = 64
"""So many peers of a log, those of whom most is told, are asked for one by one: strangers may knock by the thousand."""


def _by_peer(events: Iterable[Event]) -> dict[str, list[Event]]:
    found: dict[str, list[Event]] = {}
    for event in events:
        if event.peer is not None:
            found.setdefault(event.peer, []).append(event)
    return found


def _is_known(events: Sequence[Event], rows: Rows) -> bool:
    return is_told(events) or is_refused(events, rows)


def _in_order(before: Sequence[Event], *parts: Iterable[Event]) -> list[Event]:
    """Events in the order of the log, which `before` were in."""
    lines = [event.where.line or 0 for event in before]
    step = -1 if lines and lines[0] > lines[-1] else 1
    return sorted((e for part in parts for e in part), key=lambda e: step * (e.where.line or 0))


def second_look(
    rows: Sequence[tuple[int, str]], own: Collection[str], told: Callable[..., Iterator[Event]]
) -> list[Event]:
    """The events of a log whose words are not known: by what ties its records to a peer, and by the kinds of their values."""
    decimal = in_decimal(text for _, text in rows) or str
    texts = [_IN_PATH.sub(r" \1 ", decimal(text)) for _, text in rows]
    if is_of_threads(texts[:LOOKED_AT]):
        texts = list(in_turns(texts))
    plainer = [(number, text) for (number, _), text in zip(rows, texts, strict=True)]
    subjects = subjects_of(plainer, frozenset(own))
    if not subjects.peers:
        return []
    worth = ((n, text) for n, text in plainer if RELEVANT.search(text.lower()) or subjects.speaks_of(text))
    written = {new: old for (_, new), (_, old) in zip(plainer, rows, strict=True) if new != old}
    # A line is shown as the file has it.
    return [replace(e, text=written.get(e.text, e.text)) for e in told(worth, subjects=subjects)]
