"""What files of a case gave, out of the store of an earlier reading: for logs, records, pasted tests and sheets, each by its content and by
all else that its reader asks for. A file whose size, times and place on the disk are those of the last reading is not even opened."""

from __future__ import annotations

import hashlib
import os
from array import array
from collections.abc import Callable, Collection, Iterable, Sequence
from pathlib import Path

import msgspec

from stomion.case.evidence import Evidence, Log, Placed, Source
from stomion.ingest.item import Item
from stomion.ingest.reading import Made, Tick, Years
from stomion.ingest.store import MARK, Store, program_mark
from stomion.measure.series import CounterSeries
from stomion.model.provenance import NotRecognised, Problem
from stomion.model.record import CounterRecord, EventRecord, PingRecord, TestRecord
from stomion.vocabulary.secrets import SECRET

MARKED = f"{SECRET[:-1]} ".encode()
LEAST_BYTES = 1 << 20
"""Cases with fewer bytes of texts, records and sheets are read as fast as their store."""


class Columns(msgspec.Struct):
    """A series of counters with its columns as bytes of this machine: what is kept never leaves it."""

    file: str
    first: CounterRecord
    last: CounterRecord
    last_line: int
    lines: bytes
    at: bytes
    out: bytes
    back: bytes
    replay: bytes
    integrity: bytes

    @classmethod
    def of(cls, series: CounterSeries) -> Columns:
        """From the series as it is read."""
        columns = (getattr(series, name).tobytes() for name in COLUMNS)
        return cls(series.file, series.first, series.last, series.last_line, *columns)

    def series(self) -> CounterSeries:
        """The series again."""
        columns = (array("d" if name == "at" else "q", getattr(self, name)) for name in COLUMNS)
        return CounterSeries(self.file, self.first, self.last, self.last_line, *columns)


COLUMNS = ("lines", "at", "out", "back", "replay", "integrity")


class Found(msgspec.Struct):
    """What one file added to the evidence, list by list, and the year that it tells for logs without one."""

    logs: list[Log] = []
    tests: list[Placed[TestRecord]] = []
    pings: list[Placed[PingRecord]] = []
    counters: list[Columns] = []
    happenings: list[Placed[EventRecord]] = []
    sources: list[Source] = []
    problems: list[Problem] = []
    not_recognised: list[NotRecognised] = []
    year: int | None = None


LISTS = tuple(name for name in Found.__struct_fields__ if name != "year")


def lengths(evidence: Evidence) -> dict[str, int]:
    """How long the lists are before a file is read."""
    return {name: len(getattr(evidence, name)) for name in LISTS}


def taken(evidence: Evidence, before: dict[str, int], year: int | None) -> Found:
    """What came since, taken out of the evidence again."""
    found = {name: getattr(evidence, name)[at:] for name, at in before.items()}
    for name, at in before.items():
        del getattr(evidence, name)[at:]
    return Found(**found | {"counters": list(map(Columns.of, found["counters"]))}, year=year)


def add(found: Found, evidence: Evidence, years: Years) -> None:
    """Into the evidence, as if the file had been read now."""
    years.seen = years.seen or found.year
    for name in LISTS:
        if name != "counters":
            getattr(evidence, name).extend(getattr(found, name))
    evidence.counters.extend(columns.series() for columns in found.counters)


def packed(value: object) -> bytes:
    """A value of typed records as bytes."""
    return msgspec.msgpack.encode(value)


def unpacked(data: bytes, kind: type[Made]) -> Made | None:
    """The same back; None for what is none."""
    try:
        return msgspec.msgpack.decode(data, type=kind)
    except (msgspec.MsgspecError, ValueError, RecursionError):
        return None


def _digest(*parts: bytes) -> bytes:
    digest = hashlib.blake2b(program_mark(), digest_size=MARK)
    for part in parts:
        digest.update(len(part).to_bytes(8, "big") + part)
    return digest.digest()


class Keeper:
    """Asks the store for files, and gives it what they held."""

    def __init__(self, store: Store, tick: Tick) -> None:
        self._store, self._tick = store, tick

    def names(
        self, items: Sequence[Item], sites: Collection[str], evidence: Evidence, years: Years
    ) -> dict[str, bytes]:
        """The keys of what files give: content, whose it is, and what its reader asks of the case; without those that can't be read."""
        base = _digest(*_texts([str(years.seen), *sorted(sites), "", *map(repr, evidence.phrases)]))
        found = {}
        for item in items:
            content = self._content(item)
            if content is not None:
                own = sorted(evidence.addresses.get(item.site or "", ()))
                year = str(years.year_for(item.path))
                parts = _texts([item.name, item.site or "", item.host or "", item.place, year, *own])
                found[item.name] = _digest(b"file", base, content, *parts)
        return found

    def file(self, name: bytes | None) -> Found | None:
        """What a file gave when it was read last, where nothing that it rests on has changed."""
        data = self._store.get(name) if name is not None else None
        return unpacked(data, Found) if data is not None else None

    def keep(self, name: bytes | None, found: Found) -> None:
        """Keep what a file gave."""
        if name is not None:
            self._put(name, packed(found))

    def _put(self, name: bytes, data: bytes) -> None:
        # A mark of a secret holds for this run alone: what has one is worked out again.
        if MARKED not in data:
            self._store.put(name, data)

    def made(self, item: Item, data: bytes, kind: type[Made], make: Callable[[], Made]) -> Made:
        """What is made of a file's bytes alone."""
        name = _digest(kind.__name__.encode(), item.name.encode(), data)
        held = self._store.get(name)
        value = unpacked(held, kind) if held is not None else None
        if value is None:
            value = make()
            self._put(name, packed(value))
        return value

    def _content(self, item: Item) -> bytes | None:
        """A mark of a file's content: that of the last reading, where the file was not touched since."""
        before = _signature(item.path)
        if before is None:
            return None
        name = _digest(b"content", os.fsencode(item.path), before)
        known = self._store.get(name)
        if known is not None:
            return known
        content = _content(item, self._tick)
        if content is None or _signature(item.path) != before:
            return None
        self._store.put(name, content)
        return content


def _texts(texts: Iterable[str]) -> list[bytes]:
    return [text.encode("utf-8", "replace") for text in texts]


def _signature(path: Path) -> bytes | None:
    """What changes whenever a file is written: its size, its times, and its place on the disk. None for what is no ordinary file."""
    try:
        found = path.stat()
    except OSError:
        return None
    return f"{found.st_dev} {found.st_ino} {found.st_size} {found.st_mtime_ns} {found.st_ctime_ns}".encode()


def _content(item: Item, tick: Tick) -> bytes | None:
    """A mark of all bytes of a file. Raises what `tick` raises, which is asked before every block."""
    digest = hashlib.blake2b(digest_size=MARK)
    try:
        if not item.path.is_file():
            return None
        with item.path.open("rb") as stream:
            while block := stream.read(1 << 20):
                tick(item.name, 0)
                digest.update(block)
    except OSError:
        return None
    return digest.digest()
