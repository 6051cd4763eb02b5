"""Logs of any make: the lines worth a look, with the phrases that the case, the user and the program know."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache, partial
from importlib import resources

from stomion.case.evidence import Log, Placed
from stomion.ingest.files import HEAD, Finder, LineScan, open_input, read_lines
from stomion.ingest.item import Item
from stomion.ingest.nothing import is_text
from stomion.ingest.reading import Kind, Reading
from stomion.logs.blocks import LOOKED_AT, has_bodies, joined, shape_of, with_bodies
from stomion.logs.classify import REFUSALS
from stomion.logs.clock import DATED, Clock, on_the_wall, runs_backwards, wall_clock
from stomion.logs.lexicon import RELEVANT
from stomion.logs.neighbours import WORDS, Neighbours, may_tell
from stomion.logs.phrasebook import Phrase, read_phrasebook
from stomion.logs.reader import read_log
from stomion.logs.subjects import subjects_of
from stomion.logs.threads import BEGINNING, is_of_threads
from stomion.logs.threads import LOOKED_AT as THREADS
from stomion.model.event import Event, What
from stomion.vocabulary.clean import MAX_LINE, decode_line


@lru_cache(1)
def shipped() -> tuple[Phrase, ...]:
    """The phrasebooks that come with the program; what a user taught goes before them."""
    found: list[Phrase] = []
    for book in sorted(resources.files("stomion.logs").joinpath("phrasebooks").iterdir(), key=lambda b: b.name):
        phrases, troubles = read_phrasebook(book.read_text("utf-8"))
        if troubles:
            raise AssertionError(f"{book.name}: {troubles[0]}")
        found.extend(phrases)
    return tuple(found)


def _read(reading: Reading) -> None:
    told = len(reading.evidence.happenings)
    log = _log(reading, frozenset())
    item = reading.item
    if not log.events and len(reading.evidence.happenings) > told and not _is_gateway_log(item):
        reading.source("routing log", log.lines, "lines")
        return
    if not log.events and (item.host or not item.site or item.place == "path" or not _is_gateway_log(item)):
        reading.refuse("text without a line about a negotiation")
        return
    _keep(reading, log)


def read_beside(reading: Reading, used: Collection[int]) -> bool:
    """The lines of a negotiation in a text whose other lines are of something else; False where it has none."""
    if reading.item.host or reading.item.place == "path":
        return False
    log = _log(reading, used)
    if log.events:
        _keep(reading, log)
    return bool(log.events)


def _keep(reading: Reading, log: Log) -> None:
    reading.source("log", log.lines, "lines")
    reading.evidence.logs.append(log)


def _log(reading: Reading, used: Collection[int]) -> Log:
    """What a log tells, without the lines that are known to be of something else."""
    item, evidence = reading.item, reading.evidence
    log = Log(item.name, item.site)
    neighbours = Neighbours(item.site or "", Clock(reading.years.year_for(item.path)))

    def others(found: Iterable[tuple[int, str]]) -> Iterator[tuple[int, str]]:
        """The lines that do not tell of a routing neighbour; what those that do tell goes into the evidence."""
        for number, text in found:
            if not may_tell(text):
                yield number, text
                continue
            record = neighbours.read(text)
            if record is not None:
                evidence.happenings.append(Placed(record, item.name, number))
            elif RELEVANT.search(text.lower()) or any(p.head in text for p in evidence.phrases):
                yield number, text

    with open_input(item.path) as stream:
        scan = LineScan(stream, _pattern(evidence.phrases), reading.about)

        def lines() -> Iterator[tuple[int, str]]:
            for count, found in enumerate(others(scan)):
                if not count % 1024:
                    reading.about(found[0])
                if found[0] not in used:
                    log.looked_at += 1
                    yield found

        year, phrases = reading.years.year_for(item.path), (*evidence.phrases, *shipped())
        layout = _layout(item, year)
        shape, threaded = layout.shape, layout.threaded
        records = joined(others(_every_line(item, reading)), shape) if shape else None
        own = evidence.addresses.get(item.site or "", set())
        log.events = list(
            read_log(
                _turned(_worth(records, log, phrases) if records is not None else lines(), layout),
                item.name,
                item.site,
                year=year,
                phrases=phrases,
                own=own,
                threaded=threaded,
            )
        )
        if (
            reading.size <= SECOND_LOOK
            and not _names_exchanges(log.events)
            and not is_told(log.events)
            and not _is_refused(log.events, item, reading, layout)
        ):
            told = partial(
                read_log, file=item.name, site=item.site, year=year, phrases=phrases, own=own, threaded=threaded
            )
            second = _second_look(item, reading, layout, used, own, told)
            if is_told(second, at_least=True):
                log.events = second
        if reading.size <= SECOND_LOOK and any("epoch" in e.assumed for e in log.events[:1]):
            start = wall_clock(_every_line(item, reading), year)
            log.events = log.events if start is None else on_the_wall(log.events, start)
    log.lines = max(log.lines, scan.lines)
    if scan.cut:
        text = f"{scan.cut:,} lines are longer than {MAX_LINE:,} characters; what is beyond that is not looked at"
        reading.problem(text)
    if scan.left_out:
        text = f"{scan.left_out:,} lines of negotiations, between the first and the last of them, are not looked at"
        reading.problem(text)
    if scan.not_utf8:
        reading.problem("not UTF-8 here; such lines are read as Latin-1", scan.not_utf8)
    return log


SECOND_LOOK = 4 << 20
"""Bytes of a log that is gone through once more, every line of it, where too little was understood by its words."""


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
    return not found.isdisjoint(outcomes) and bool(found & _BEGINNINGS or (at_least and found & _AT_THE_DOOR))


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


def _names_exchanges(events: Iterable[Event]) -> bool:
    """Does a log name messages by their exchange? Its words are the standards', and what it does not tell did not happen."""
    return any(e.what in (What.SENT, What.RECEIVED) and e.exchange is not None for e in events)


def _is_refused(events: Sequence[Event], item: Item, reading: Reading, layout: _Layout) -> bool:
    """Is what began refused for a reason that says of what, with no line after it that may tell of a Child SA all the same?"""
    found = [e for e in events if e.peer is not None and not e.guessed]
    reasons = [e.where.line or 0 for e in found if e.what in REFUSALS and e.what not in _GENERAL]
    if not reasons or not any(e.what in _BEGINNINGS for e in found):
        return False
    every = _every_line(item, reading)
    later = (text for number, text in every if (number < reasons[-1] if layout.backwards else number > reasons[-1]))
    return len({spi for text in later for spi in _SPI.findall(text.lower())}) < len(("in", "out"))


def _second_look(
    item: Item,
    reading: Reading,
    layout: _Layout,
    used: Collection[int],
    own: Collection[str],
    told: Callable[..., Iterator[Event]],
) -> list[Event]:
    """The events of a log whose words are not known: by what ties its lines to a peer, and by the kinds of their values."""
    every = ((n, text) for n, text in _every_line(item, reading) if n not in used and not may_tell(text))
    records = joined(every, layout.shape) if layout.shape else with_bodies(every) if layout.bodies else every
    rows = list(_turned(records, layout))
    subjects = subjects_of(rows, frozenset(own))
    if not subjects.peers:
        return []
    worth = ((n, text) for n, text in rows if RELEVANT.search(text.lower()) or subjects.speaks_of(text))
    return list(told(worth, subjects=subjects))


_COUNTED = re.compile(rb"\d{1,9}\.\d{1,4}\s")


@dataclass(frozen=True, slots=True)
class _Layout:
    """How the records of a log lie in its lines (logs.blocks), whether threads write them in turn, and whether the newest stands first."""

    shape: str
    threaded: bool
    backwards: bool
    bodies: bool
    """Have lines indented ones below them that may belong to them?"""


def _layout(item: Item, year: int) -> _Layout:
    with open_input(item.path) as stream:
        head = stream.read(HEAD)
    lines = head.split(b"\n")[:LOOKED_AT]
    begun = sum(line[:1] in (b" ", b"\t") or _COUNTED.match(line) is not None for line in lines)
    # Most logs are of single lines, which is seen without taking them apart.
    shape = shape_of([decode_line(line)[0] for line in lines]) if 5 * begun > len(lines) else ""
    threaded = not shape and is_of_threads(decode_line(line[:BEGINNING])[0] for line in lines[:THREADS])
    backwards = runs_backwards((decode_line(line)[0] for line in lines[:DATED]), year)
    bodies = not shape and 8 * begun > len(lines) and has_bodies([decode_line(line)[0] for line in lines])
    return _Layout(shape, threaded, backwards, bodies)


def _turned(rows: Iterable[tuple[int, str]], layout: _Layout) -> Iterable[tuple[int, str]]:
    """Rows in the order of their time."""
    return reversed(list(rows)) if layout.backwards else rows


def _every_line(item: Item, reading: Reading) -> Iterator[tuple[int, str]]:
    with open_input(item.path) as stream:
        for number, text, _, _ in read_lines(stream):
            if not number % 1024:
                reading.about(number)
            yield number, text


def _worth(records: Iterator[tuple[int, str]], log: Log, phrases: Sequence[Phrase]) -> Iterator[tuple[int, str]]:
    for number, text in records:
        log.lines = number
        if RELEVANT.search(text.lower()) or any(item.head in text for item in phrases):
            log.looked_at += 1
            yield number, text


def _pattern(phrases: list[Phrase]) -> Finder:
    """Lines worth a look: those with a word of the vocabulary, or with a fixed piece of a phrase that has no such word."""
    return finder(tuple(p.head.lower() for p in phrases if not RELEVANT.search(p.head.lower())))


@lru_cache(16)
def finder(heads: tuple[str, ...]) -> Finder:
    """Finds the vocabulary's words, and `heads` besides, in lower-case bytes."""
    # An automaton, in time linear to the text whatever the text is: docs/adr/0011-linear-search.md.
    import re2

    found: Finder = re2.compile(
        b"|".join((RELEVANT.pattern.encode(), WORDS.encode(), *(re2.escape(head.encode()) for head in heads)))
    )
    return found


def _is_gateway_log(item: Item) -> bool:
    """A log of a service that negotiated nothing is evidence too: of what never arrived. It names IKE at least."""
    with open_input(item.path) as stream:
        head = stream.read(HEAD).decode("latin-1").lower()
    return any(word in head for word in ("ike", "ipsec", "isakmp", "vpn"))


LOG = Kind("text", lambda _item, head: is_text(head), _read)
