"""Stomion records, one JSON object a line (docs/formats.md), into the evidence with their places."""

from __future__ import annotations

import io
import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import BinaryIO, TypeVar, cast

import msgspec

from stomion.case.evidence import Placed
from stomion.ingest.files import open_input
from stomion.ingest.gate import cleaned
from stomion.ingest.item import Item
from stomion.ingest.reading import Kind, Reading
from stomion.measure.gathering import Gathering
from stomion.model.record import CounterRecord, EventRecord, PingRecord, Record, TestRecord
from stomion.vocabulary.clean import MAX_LINE, decode_line
from stomion.vocabulary.times import rfc3339_seconds

MAX_PROBLEMS_PER_FILE = 20
Line = TypeVar("Line")
_RECORD = msgspec.json.Decoder(Record)


def _fits(_item: Item, head: bytes) -> bool:
    first = head.lstrip(b"\xef\xbb\xbf \r\n\t").split(b"\n", 1)[0]
    if first[:1] != b"{" or b'"kind"' not in first:
        return False
    try:
        # Further inside of an object a field of that name is some log's own.
        return "kind" in msgspec.json.decode(first, type=dict[str, msgspec.Raw])
    except (msgspec.MsgspecError, RecursionError, ValueError):
        return True


def _read(reading: Reading) -> None:
    into = _Into(reading)
    with open_input(reading.item.path) as stream:
        for number, lines, block in _blocks(stream):
            records = _plain(block, lines)
            if records is None:
                _each(((n, line) for n, line in _lines(io.BytesIO(block), number) if line.strip()), _decoded, into)
                continue
            into.keep_all(number, records)
            reading.about(into.count)
    into.done()


BLOCK = 1 << 15
"""Bytes of lines that are decoded at once."""


def _blocks(stream: BinaryIO) -> Iterator[tuple[int, int, bytes]]:
    """(number of its first line, how many, whole lines) of a file; of a line that is too long no more than its beginning."""
    number = 1
    while block := stream.read(BLOCK):
        if not block.endswith(b"\n"):
            block += stream.readline(MAX_LINE)
        whole = block.endswith(b"\n")
        lines = block.count(b"\n") + (not whole)
        yield number, lines, block
        number += lines
        while not whole and (raw := stream.readline(MAX_LINE)):
            whole = raw.endswith(b"\n")


def _plain(block: bytes, lines: int) -> list[Record] | None:
    """All records of a block at once; None where one of its lines is no record, is empty, or needs the gate for text.

    Of the control characters only DEL has to be looked for: JSON has no others in a text, and the decoder refuses them."""
    if not block.isascii() or b"\x7f" in block or b"\\" in block or _has_long_line(block):
        return None
    try:
        found: list[Record] = _RECORD.decode_lines(block)
    except (msgspec.MsgspecError, RecursionError, ValueError):
        return None
    return found if len(found) == lines and not _EMPTY.search(block) else None


def _has_long_line(block: bytes) -> bool:
    start = 0
    while len(block) - start >= MAX_LINE:
        end = block.rfind(b"\n", start, start + MAX_LINE)
        if end < 0:
            return True
        start = end + 1
    return False


_EMPTY = re.compile(rb"\n[ \t\r]*\n")


def _decoded(line: bytes | str) -> Record:
    return _RECORD.decode(line) if isinstance(line, bytes) else _record(line)


def read_rows(rows: Iterable[tuple[int, Line]], decode: Callable[[Line], Record], reading: Reading) -> None:
    """Every row (number, line) as a record into the evidence; what is none is said, for the first ones line by line."""
    into = _Into(reading)
    _each(rows, decode, into)
    into.done()


def _each(rows: Iterable[tuple[int, Line]], decode: Callable[[Line], Record], into: _Into) -> None:
    for number, line in rows:
        into.count += 1
        if not into.count % 1024:
            into.reading.about(into.count)
        try:
            record = decode(line)
        except (msgspec.MsgspecError, RecursionError, ValueError) as error:
            into.refused(error, number)
            continue
        into.keep(record, number)


class _Into:
    """Where one file's records go."""

    def __init__(self, reading: Reading) -> None:
        self.reading = reading
        self.count = self.bad = 0
        self._counters = Gathering(reading.item.name, reading.evidence.counters)

    def keep(self, record: Record, number: int) -> None:
        """Put one record into the evidence, with its line."""
        if isinstance(record, CounterRecord):
            self._counters.add((number,), (record,))
        else:
            _keep(record, number, self.reading)
        self._note_year((record,))

    def keep_all(self, first: int, records: list[Record]) -> None:
        """The records of lines in a row."""
        lines: Sequence[int] = range(first, first + len(records))
        counters = cast("list[CounterRecord]", records)
        if any(kind is not CounterRecord for kind in set(map(type, records))):
            rows = [(n, r) for n, r in zip(lines, records, strict=True) if isinstance(r, CounterRecord)]
            lines, counters = [n for n, _ in rows], [r for _, r in rows]
            for number, record in enumerate(records, first):
                _keep(record, number, self.reading)
        self._counters.add(lines, counters)
        self._note_year(records)
        self.count += len(records)

    def _note_year(self, records: Sequence[Record]) -> None:
        """The first moment that is told tells the year of logs without one."""
        years = self.reading.years
        for record in records if years.seen is None else ():
            at = rfc3339_seconds(record.at)
            if at is not None:
                years.note(at)
                return

    def refused(self, error: Exception, number: int) -> None:
        """A line that is no record."""
        self.bad += 1
        if self.bad <= MAX_PROBLEMS_PER_FILE:
            self.reading.problem(f"no record: {error}", number)

    def done(self) -> None:
        """Say what the file held."""
        self._counters.done()
        if self.bad > MAX_PROBLEMS_PER_FILE:
            self.reading.problem(f"{self.bad - MAX_PROBLEMS_PER_FILE:,} more lines are no records")
        self.reading.source("records", self.count, "records")


_ODD = bytes(byte for byte in range(256) if (byte < 0x20 and byte not in b"\t\r\n") or byte >= 0x7F)
"""Bytes of a line that has to go through the gate for text; a line without any of them is plain and is decoded as it is."""


def _lines(stream: BinaryIO, first: int = 1) -> Iterator[tuple[int, bytes | str]]:
    """(number, line) of every line: as bytes where it is plain, else as text that was cleaned."""
    number = first - 1
    while raw := stream.readline(MAX_LINE):
        number += 1
        if (
            len(raw.translate(None, _ODD)) == len(raw)
            and b"\\" not in raw
            and (raw.endswith(b"\n") or len(raw) < MAX_LINE)
        ):
            yield number, raw
            continue
        text, _ = decode_line(raw)
        while not raw.endswith(b"\n") and len(raw) == MAX_LINE:
            raw = stream.readline(MAX_LINE)
        yield number, text


def _record(text: str) -> Record:
    """One line. Only an escape inside JSON can still hide what the gate takes out: such a line is decoded by steps."""
    data = text.encode("utf-8", "replace")
    found: Record = (
        msgspec.convert(cleaned(msgspec.json.decode(data)), Record) if "\\" in text else _RECORD.decode(data)
    )
    return found


def _keep(record: Record, number: int, reading: Reading) -> None:
    evidence, file = reading.evidence, reading.item.name
    if isinstance(record, TestRecord):
        evidence.tests.append(Placed(record, file, number))
    elif isinstance(record, PingRecord):
        evidence.pings.append(Placed(record, file, number))
    elif isinstance(record, EventRecord):
        evidence.happenings.append(Placed(record, file, number))


RECORDS = Kind("records", _fits, _read)
