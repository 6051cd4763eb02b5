"""Stomion records, one JSON object a line (docs/formats.md), into the evidence with their places."""

from __future__ import annotations

import msgspec

from stomion.case.evidence import Placed
from stomion.ingest.files import open_input, read_lines
from stomion.ingest.gate import cleaned
from stomion.ingest.item import Item
from stomion.ingest.reading import Kind, Reading
from stomion.model.record import CounterRecord, EventRecord, PingRecord, Record, TestRecord
from stomion.vocabulary.times import rfc3339_seconds

MAX_PROBLEMS_PER_FILE = 20
_RECORD = msgspec.json.Decoder(Record)


def _fits(_item: Item, head: bytes) -> bool:
    start = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    return start[:1] == b"{" and b'"kind"' in start.split(b"\n", 1)[0]


def _read(reading: Reading) -> None:
    bad = count = 0
    with open_input(reading.item.path) as stream:
        for number, text, _, _ in read_lines(stream):
            if not text.strip():
                continue
            count += 1
            if not count % 1024:
                reading.about(count)
            try:
                record = _record(text)
            except (msgspec.MsgspecError, RecursionError, ValueError) as error:
                bad += 1
                if bad <= MAX_PROBLEMS_PER_FILE:
                    reading.problem(f"no record: {error}", number)
                continue
            _keep(record, number, reading)
    if bad > MAX_PROBLEMS_PER_FILE:
        reading.problem(f"{bad - MAX_PROBLEMS_PER_FILE:,} more lines are no records")
    reading.source("records", count, "records")


def _record(text: str) -> Record:
    """One line. Only an escape inside JSON can still hide what the gate takes out: such a line is decoded by steps."""
    data = text.encode("utf-8", "replace")
    found: Record = (
        msgspec.convert(cleaned(msgspec.json.decode(data)), Record) if "\\u" in text else _RECORD.decode(data)
    )
    return found


def _keep(record: Record, number: int, reading: Reading) -> None:
    evidence, file = reading.evidence, reading.item.name
    if isinstance(record, TestRecord):
        evidence.tests.append(Placed(record, file, number))
    elif isinstance(record, CounterRecord):
        evidence.counters.append(Placed(record, file, number))
    elif isinstance(record, PingRecord):
        evidence.pings.append(Placed(record, file, number))
    elif isinstance(record, EventRecord):
        evidence.happenings.append(Placed(record, file, number))
    at = rfc3339_seconds(record.at)
    if at is not None:
        reading.years.note(at)


RECORDS = Kind("records", _fits, _read)
