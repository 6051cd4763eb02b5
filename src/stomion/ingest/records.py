"""Stomion records, one JSON object a line (docs/formats.md), into the evidence with their places."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import BinaryIO, TypeVar

import msgspec

from stomion.case.evidence import Placed
from stomion.ingest.files import open_input
from stomion.ingest.gate import cleaned
from stomion.ingest.item import Item
from stomion.ingest.reading import Kind, Reading
from stomion.model.record import CounterRecord, EventRecord, PingRecord, Record, TestRecord
from stomion.vocabulary.clean import MAX_LINE, decode_line
from stomion.vocabulary.times import rfc3339_seconds

MAX_PROBLEMS_PER_FILE = 20
Line = TypeVar("Line")
_RECORD = msgspec.json.Decoder(Record)


def _fits(_item: Item, head: bytes) -> bool:
    start = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    return start[:1] == b"{" and b'"kind"' in start.split(b"\n", 1)[0]


def _read(reading: Reading) -> None:
    with open_input(reading.item.path) as stream:
        read_rows(((n, line) for n, line in _lines(stream) if line.strip()), _decoded, reading)


def _decoded(line: bytes | str) -> Record:
    return _RECORD.decode(line) if isinstance(line, bytes) else _record(line)


def read_rows(rows: Iterable[tuple[int, Line]], decode: Callable[[Line], Record], reading: Reading) -> None:
    """Every row (number, line) as a record into the evidence; what is none is said, for the first ones line by line."""
    bad = count = 0
    for number, line in rows:
        count += 1
        if not count % 1024:
            reading.about(count)
        try:
            record = decode(line)
        except (msgspec.MsgspecError, RecursionError, ValueError) as error:
            bad += 1
            if bad <= MAX_PROBLEMS_PER_FILE:
                reading.problem(f"no record: {error}", number)
            continue
        _keep(record, number, reading)
    if bad > MAX_PROBLEMS_PER_FILE:
        reading.problem(f"{bad - MAX_PROBLEMS_PER_FILE:,} more lines are no records")
    reading.source("records", count, "records")


_ODD = bytes(byte for byte in range(256) if (byte < 0x20 and byte not in b"\t\r\n") or byte >= 0x7F)
"""Bytes of a line that has to go through the gate for text; a line without any of them is plain and is decoded as it is."""


def _lines(stream: BinaryIO) -> Iterator[tuple[int, bytes | str]]:
    """(number, line) of every line: as bytes where it is plain, else as text that was cleaned."""
    number = 0
    while raw := stream.readline(MAX_LINE):
        number += 1
        if (
            len(raw.translate(None, _ODD)) == len(raw)
            and b"\\u" not in raw
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
        msgspec.convert(cleaned(msgspec.json.decode(data)), Record) if "\\u" in text else _RECORD.decode(data)
    )
    return found


def _keep(record: Record, number: int, reading: Reading) -> None:
    """Put one record into the evidence, with its line."""
    evidence, file = reading.evidence, reading.item.name
    if isinstance(record, TestRecord):
        evidence.tests.append(Placed(record, file, number))
    elif isinstance(record, CounterRecord):
        evidence.counters.append(Placed(record, file, number))
    elif isinstance(record, PingRecord):
        evidence.pings.append(Placed(record, file, number))
    elif isinstance(record, EventRecord):
        evidence.happenings.append(Placed(record, file, number))
    at = rfc3339_seconds(record.at) if reading.years.seen is None else None
    if at is not None:
        reading.years.note(at)


RECORDS = Kind("records", _fits, _read)
