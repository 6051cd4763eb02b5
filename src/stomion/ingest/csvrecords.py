"""Stomion records as a table: the same names as in JSON, one column each, from any spreadsheet or poller (docs/formats.md)."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator
from typing import Any

import msgspec

from stomion.ingest.files import open_input, read_lines
from stomion.ingest.item import Item
from stomion.ingest.reading import Kind, Reading
from stomion.ingest.records import read_rows
from stomion.model.record import Record
from stomion.vocabulary.clean import one_line

_NEEDED = {
    "counters": {"at", "site", "packets_in", "packets_out"},
    "test": {"at", "from", "to", "sent", "received"},
    "ping": {"at", "from", "to", "seq"},
    "event": {"at", "what"},
}
"""Columns by which a kind is known where no column says it."""
_LISTS = ("local_ts", "remote_ts")
_SEPARATORS = ",;\t"
_GAP = re.compile(r"[\s;]+")


def _header(line: str) -> tuple[str, list[str]] | None:
    """(separator, names) of a first line that is one; None where it is none of ours."""
    for separator in _SEPARATORS:
        names = [n.strip().strip('"').lower() for n in line.strip().split(separator)]
        if len(set(names)) == len(names) and (("kind" in names and "at" in names) or _kind_of(names)):
            return separator, names
    return None


def _kind_of(names: list[str]) -> str:
    return next((kind for kind, needed in _NEEDED.items() if needed <= set(names)), "")


def _fits(_item: Item, head: bytes) -> bool:
    first = head.lstrip(b"\xef\xbb\xbf \r\n\t").split(b"\n", 1)[0][:4096]
    return b"at" in first and _header(first.decode("utf-8", "replace")) is not None


def _read(reading: Reading) -> None:
    with open_input(reading.item.path) as stream:
        rows = ((number, text) for number, text, _, _ in read_lines(stream) if text.strip())
        number, first = next(rows)
        found = _header(first.lstrip("\ufeff"))
        if found is None:
            reading.problem("its first line names no columns of records", number)
            return

        def decode(line: str) -> Record:
            return msgspec.convert(_row(line, *found), Record, strict=False)  # type: ignore[no-any-return]

        read_rows(rows, decode, reading)


def _row(line: str, separator: str, names: list[str]) -> dict[str, Any]:
    """One line as a record's object: empty cells are left out, `errors.replay` is `replay` within `errors`, lists are parted by blanks.
    Raises ValueError where it has more cells than there are columns."""
    cells = next(csv.reader(io.StringIO(line), delimiter=separator), [])
    if len(cells) > len(names):
        raise ValueError(f"{len(cells)} cells; {len(names)} columns expected")
    found: dict[str, Any] = {"kind": _kind_of(names)}
    for name, cell in _filled(names, map(one_line, cells)):
        head, _, part = name.partition(".")
        if part:
            # A counter that is not a number says nothing; the readings beside it do.
            found.setdefault(head, {})[part] = int(cell) if cell.isdecimal() and cell.isascii() else 0
        else:
            found[name] = _GAP.split(cell) if name in _LISTS else cell
    return found


def _filled(names: list[str], cells: Iterable[str]) -> Iterator[tuple[str, str]]:
    for name, cell in zip(names, cells, strict=False):
        if cell.strip():
            yield name, cell.strip()


CSV_RECORDS = Kind("records", _fits, _read)
