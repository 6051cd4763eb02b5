"""A case folder, or a few files, to Evidence. Every trouble becomes one clear line; everything else is still read."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache
from importlib import resources
from pathlib import Path

import msgspec

from stomion.case.evidence import Evidence, Log, Source
from stomion.errors import UnreadableInput, UsageError
from stomion.ingest.declared import (
    join_models,
    read_addresses,
    read_case_sheet,
    read_sheet,
    read_system_table,
    same_addresses,
)
from stomion.ingest.files import HEAD, LineScan, open_input, read_lines, reason
from stomion.ingest.item import MAX_TABLE, Item, read_whole
from stomion.ingest.ping import MAX_PROBES, read_ping
from stomion.ingest.recognise import TABLES, recognise
from stomion.ingest.yang import read_model_data
from stomion.logs.lexicon import RELEVANT, RELEVANT_BYTES
from stomion.logs.phrasebook import Phrase, read_phrasebook
from stomion.logs.reader import read_log
from stomion.model.provenance import NotRecognised, Problem
from stomion.model.record import CounterRecord, EventRecord, PingRecord, Record, TestRecord
from stomion.vocabulary.clean import MAX_LINE
from stomion.vocabulary.times import rfc3339_seconds

MAX_FILES = 20_000
NOT_SITES = frozenset(("sites", "path", ".stomion"))

Tick = Callable[[str, int], None]
"""Called with the file's name and lines or packets read so far; may raise Cancelled."""


def read_case(paths: list[Path], tick: Tick = lambda _name, _count: None) -> Evidence:
    """Read everything there is. Raises UsageError where a path does not exist, Cancelled where `tick` does."""
    for path in paths:
        if not path.exists():
            raise UsageError(f"{path}: it does not exist")
    root = _root(paths)
    evidence = Evidence(root=str(root), title=root.name)
    years = _Years()
    for book in phrasebooks(root):
        _read_phrasebook(book, root, evidence)
    for item in _walk(paths, root, evidence):
        tick(item.name, 0)
        try:
            _read_one(item, evidence, tick, years)
        except UnreadableInput as error:
            text = error.what + (f", {error.expected} expected" if error.expected else "")
            evidence.problems.append(Problem(item.name, text, error.place if item.place == "sites" else None))
        except OSError as error:
            evidence.problems.append(Problem(item.name, reason(error)))
    join_models(evidence)
    same_addresses(evidence)
    return evidence


@dataclass(slots=True)
class _Years:
    """The year for logs that do not write it: the one that captures and records of the case speak of."""

    seen: int | None = None

    def note(self, at: float) -> None:
        if self.seen is None and at > 86_400:
            self.seen = datetime.fromtimestamp(at, UTC).year

    def year_for(self, path: Path) -> int:
        return self.seen or datetime.fromtimestamp(path.stat().st_mtime, UTC).year


def _root(paths: list[Path]) -> Path:
    if len(paths) == 1 and paths[0].is_dir():
        return paths[0].resolve()
    parents = {p.resolve() if p.is_dir() else p.resolve().parent for p in paths}
    first = min(parents, key=lambda p: len(p.parts))
    while not all(first in (p, *p.parents) for p in parents):
        first = first.parent
    return first


def _walk(paths: list[Path], root: Path, evidence: Evidence) -> Iterator[Item]:
    """All files, captures and records before logs so that the year is known when it is needed."""
    found: list[Path] = []
    for path in paths:
        found.extend(_files_of(path.resolve(), evidence, root))
    names = {p: _relative(p, root) for p in found}
    has_sites = any(len(Path(n).parts) > 1 and Path(n).parts[0] not in NOT_SITES for n in names.values())
    single = [p for p in paths if p.is_file()]
    for path in sorted(found, key=lambda p: (p.suffix == ".log", p.suffix in (".txt", ""), names[p])):
        parts = Path(names[path]).parts
        if len(parts) > 1:
            place = parts[0]
            site = None if place in NOT_SITES else place
            host = parts[2] if len(parts) > 3 and parts[1] == "hosts" else None
        else:
            place, host = "", None
            site = None if has_sites and not single else root.name
        if path.name == PHRASEBOOK and len(parts) == 1:
            continue
        if path.name == "case.toml" and len(parts) == 1:
            place = "case"
        yield Item(path, names[path], site, host, place)


def _files_of(path: Path, evidence: Evidence, root: Path) -> list[Path]:
    if path.is_file():
        return [path]
    found: list[Path] = []

    def trouble(error: OSError) -> None:
        name = _relative(Path(str(error.filename)), root)
        evidence.problems.append(Problem(name, reason(error)))

    for folder, folders, files in path.walk(on_error=trouble) if hasattr(path, "walk") else _os_walk(path, trouble):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        for name in sorted(files):
            if name.startswith("."):
                continue
            found.append(Path(folder) / name)
            if len(found) >= MAX_FILES:
                evidence.problems.append(Problem(str(path), f"more than {MAX_FILES} files; the rest is not read"))
                return found
    return found


def _os_walk(path: Path, on_error: Callable[[OSError], None]) -> Iterator[tuple[Path, list[str], list[str]]]:
    for folder, folders, files in os.walk(path, onerror=on_error):
        yield Path(folder), folders, files


def _relative(path: Path, root: Path) -> str:
    try:
        return str(path.relative_to(root))
    except ValueError:
        return path.name


def _read_one(item: Item, evidence: Evidence, tick: Tick, years: _Years) -> None:
    if not item.path.is_file():
        evidence.not_recognised.append(NotRecognised(item.name, "it is no ordinary file"))
        return
    size = item.path.stat().st_size
    if item.place == "case":
        evidence.sources.append(Source(item.name, None, "case", size))
        read_case_sheet(item, evidence)
        return
    if item.place == "sites" and item.path.suffix == ".toml":
        evidence.sources.append(Source(item.name, None, "sheet", size))
        read_sheet(item, evidence)
        return
    with open_input(item.path) as stream:
        head = stream.read(HEAD)
    kind = recognise(head)
    if kind == "capture":
        _read_capture(item, evidence, tick, years, size)
    elif kind == "records":
        _read_records(item, evidence, size, years)
    elif kind in TABLES:
        evidence.sources.append(Source(item.name, item.site, kind, size, used=kind != "IPsec states"))
        read_system_table(item, kind, evidence)
        if kind == "addresses":
            read_addresses(item, evidence)
        elif kind == "model data" and item.site:
            evidence.models.append((item.name, read_model_data(read_whole(item), item.site)))
    elif kind == "ping":
        _read_ping(item, evidence, size)
    elif kind == "text":
        _read_text(item, evidence, tick, years, size)
    else:
        why = _WHY[kind]
        evidence.not_recognised.append(NotRecognised(item.name, why))


_WHY = {
    "empty": "it is empty",
    "binary": "its content is of no known kind",
    "keys": "it holds keys; they are used only where it is given with --keys",
}


def _read_capture(item: Item, evidence: Evidence, tick: Tick, years: _Years, size: int) -> None:
    from stomion.ingest.capture import read_capture

    with open_input(item.path) as stream:
        capture, trouble = read_capture(stream, item.name, item.site, lambda count: tick(item.name, count))
    evidence.captures.append(capture)
    evidence.sources.append(Source(item.name, item.site, "capture", size, True, capture.packets, "packets"))
    if capture.datagrams:
        years.note(capture.datagrams[0].at)
    if trouble is not None:
        evidence.problems.append(Problem(item.name, trouble.what))
    evidence.problems.extend(Problem(item.name, text) for text in capture.cuts)


def _read_text(item: Item, evidence: Evidence, tick: Tick, years: _Years, size: int) -> None:
    log = Log(item.name, item.site)
    with open_input(item.path) as stream:
        scan = LineScan(stream, _pattern(evidence.phrases))

        def lines() -> Iterator[tuple[int, str]]:
            for count, found in enumerate(scan):
                if not count % 1024:
                    tick(item.name, found[0])
                yield found

        log.events = list(
            read_log(
                lines(), item.name, item.site, year=years.year_for(item.path), phrases=(*evidence.phrases, *_shipped())
            )
        )
    log.lines = scan.lines
    if scan.cut:
        text = f"{scan.cut:,} lines are longer than {MAX_LINE:,} characters; what is beyond that is not looked at"
        evidence.problems.append(Problem(item.name, text))
    if scan.not_utf8:
        evidence.problems.append(Problem(item.name, "not UTF-8 here; such lines are read as Latin-1", scan.not_utf8))
    if not log.events and (item.host or not item.site or item.place == "path" or not _is_gateway_log(item)):
        evidence.not_recognised.append(NotRecognised(item.name, "text without a line about a negotiation"))
    else:
        evidence.sources.append(Source(item.name, item.site, "log", size, True, log.lines, "lines"))
        evidence.logs.append(log)


PHRASEBOOK = "phrasebook.toml"


@lru_cache(1)
def _shipped() -> tuple[Phrase, ...]:
    """The phrasebooks that come with the program; what a user taught goes before them."""
    found: list[Phrase] = []
    for book in sorted(resources.files("stomion.logs").joinpath("phrasebooks").iterdir(), key=lambda b: b.name):
        phrases, troubles = read_phrasebook(book.read_text("utf-8"))
        if troubles:
            raise AssertionError(f"{book.name}: {troubles[0]}")
        found.extend(phrases)
    return tuple(found)


def phrasebooks(root: Path) -> list[Path]:
    """Where taught wordings are looked for: in the case, in what was derived from it, and in the user's configuration."""
    config = Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config") / "stomion"
    return [p for p in (root / PHRASEBOOK, root / ".stomion" / PHRASEBOOK, config / PHRASEBOOK) if p.is_file()]


def _read_phrasebook(path: Path, root: Path, evidence: Evidence) -> None:
    name = _relative(path, root)
    try:
        with open_input(path) as stream:
            found, troubles = read_phrasebook(stream.read(MAX_TABLE).decode("utf-8", "replace"))
    except UnreadableInput as error:
        found, troubles = [], [error.what]
    evidence.phrases.extend(found)
    evidence.problems.extend(Problem(name, text) for text in troubles)


def _pattern(phrases: list[Phrase]) -> re.Pattern[bytes]:
    """Lines worth a look: those with a word of the vocabulary, or with a fixed piece of a phrase that has no such word."""
    heads = [p.head.lower() for p in phrases if not RELEVANT.search(p.head.lower())]
    if not heads:
        return RELEVANT_BYTES
    return re.compile(RELEVANT_BYTES.pattern + b"|" + b"|".join(re.escape(h.encode()) for h in heads))


def _is_gateway_log(item: Item) -> bool:
    """A log of a service that negotiated nothing is evidence too: of what never arrived. It names IKE at least."""
    with open_input(item.path) as stream:
        head = stream.read(HEAD).decode("latin-1").lower()
    return any(word in head for word in ("ike", "ipsec", "isakmp", "vpn"))


_RECORD = msgspec.json.Decoder(Record)
MAX_PROBLEMS_PER_FILE = 20


def _read_records(item: Item, evidence: Evidence, size: int, years: _Years) -> None:
    bad = count = 0
    with open_input(item.path) as stream:
        for number, text, _, _ in read_lines(stream):
            if not text.strip():
                continue
            count += 1
            try:
                record = _RECORD.decode(text.encode())
            except (msgspec.MsgspecError, RecursionError) as error:
                bad += 1
                if bad <= MAX_PROBLEMS_PER_FILE:
                    evidence.problems.append(Problem(item.name, f"no record: {error}", number))
                continue
            _keep_record(record, item.name, number, evidence, years)
    if bad > MAX_PROBLEMS_PER_FILE:
        text = f"{bad - MAX_PROBLEMS_PER_FILE:,} more lines are no records"
        evidence.problems.append(Problem(item.name, text))
    evidence.sources.append(Source(item.name, item.site, "records", size, True, count, "records"))


def _keep_record(record: Record, file: str, number: int, evidence: Evidence, years: _Years) -> None:
    if isinstance(record, TestRecord):
        evidence.tests.append(record)
        evidence.test_places.append((file, number))
    elif isinstance(record, CounterRecord):
        evidence.counters.append(record)
        evidence.counter_places.append((file, number))
    elif isinstance(record, PingRecord):
        evidence.pings.append(record)
        evidence.ping_places.append((file, number))
    elif isinstance(record, EventRecord):
        evidence.happenings.append(record)
        evidence.happening_places.append((file, number))
    at = rfc3339_seconds(record.at)
    if at is not None:
        years.note(at)


def _read_ping(item: Item, evidence: Evidence, size: int) -> None:
    """A continuous ping from a site's host, or from its gateway."""
    source = f"{item.site}/{item.host}" if item.host else item.site or ""
    with open_input(item.path) as stream:
        found = read_ping(((number, text) for number, text, _, _ in read_lines(stream)), source)
    if len(found) >= MAX_PROBES:
        evidence.problems.append(Problem(item.name, f"more than {MAX_PROBES:,} probes; the rest is not read"))
    for number, record in found:
        evidence.pings.append(record)
        evidence.ping_places.append((item.name, number))
    evidence.sources.append(Source(item.name, item.site, "ping", size, True, len(found), "probes"))
