"""Logs of any make: the lines worth a look, with the phrases that the case, the user and the program know."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Sequence
from functools import lru_cache, partial
from importlib import resources

from stomion.case.evidence import Log, Placed
from stomion.ingest.files import HEAD, Finder, LineScan, open_input
from stomion.ingest.item import Item
from stomion.ingest.loglayout import every_line, layout_of, records, turned
from stomion.ingest.mute import may_be_taught
from stomion.ingest.nothing import is_text
from stomion.ingest.reading import Kind, Reading
from stomion.ingest.secondlook import (
    KNOWN,
    LARGE,
    SECOND_LOOK,
    looks_at,
    names_exchanges,
    rows_of,
    second_look,
    told_twice,
)
from stomion.ingest.settings import take_settings
from stomion.logs.clock import Clock, on_the_wall, on_their_days, wall_clock
from stomion.logs.lexicon import RELEVANT
from stomion.logs.neighbours import WORDS, Neighbours, may_tell
from stomion.logs.phrasebook import Phrase, read_phrasebook
from stomion.logs.reader import read_log
from stomion.vocabulary.clean import MAX_LINE


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
    if take_settings(reading):
        return
    told = len(reading.evidence.happenings)
    log = _log(reading, frozenset())
    item = reading.item
    if not log.events and len(reading.evidence.happenings) > told and not _is_gateway_log(item):
        reading.source("routing log", log.lines, "lines")
        return
    if not log.events:
        elsewhere = item.host or not item.site or item.place == "path"
        if elsewhere or not (_is_gateway_log(item) or may_be_taught(reading)):
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
        layout = layout_of(item, reading, year)
        several = layout.shape or layout.wrap is not None or layout.legend is not None or layout.tagged
        found = _worth(others(records(item, reading, layout)), log, phrases) if several else lines()
        own = evidence.addresses.get(item.site or "", set())
        told = partial(
            read_log, file=item.name, site=item.site, year=year, phrases=phrases, own=own, threaded=layout.threaded
        )
        log.events = list(told(turned(found, layout)))
    if reading.size <= SECOND_LOOK:
        known = reading.size > LARGE and len(log.events) >= KNOWN * log.looked_at
        if not (known or names_exchanges(log.events)):
            looks = [rows_of(item, reading, layout, used, bodies) for bodies in looks_at(layout)]
            log.events = told_twice(log.events, looks, lambda rows: second_look(rows, own, told))
        if any("epoch" in e.assumed for e in log.events[:1]):
            start = wall_clock(every_line(item, reading), year)
            log.events = log.events if start is None else on_the_wall(log.events, start)
        if not layout.backwards and any("day" in e.assumed for e in log.events[:1]):
            log.events = on_their_days(log.events, every_line(item, reading))
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
