"""How the records of a log lie in its lines, told by its beginning, and the records themselves."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass

from stomion.ingest.files import HEAD, open_input, read_lines
from stomion.ingest.item import Item
from stomion.ingest.reading import Reading
from stomion.logs.blocks import LOOKED_AT, bodies_of, joined, may_be_fields, shape_of, with_bodies
from stomion.logs.clock import DATED, runs_backwards
from stomion.logs.jsonrows import is_json, rows_of
from stomion.logs.legend import Legend, explained, legend_of
from stomion.logs.tagged import is_tagged, untagged
from stomion.logs.threads import BEGINNING, is_of_threads
from stomion.logs.threads import LOOKED_AT as THREADS
from stomion.logs.wrapped import Wrap, unwrapped, wrap_of
from stomion.vocabulary.clean import decode_line

_COUNTED = re.compile(rb"\d{1,9}\.\d{1,4}\s")
MOST_JSON = 16 << 20
"""Bytes of a log in JSON whose records are of several lines; a larger one is read line by line."""


@dataclass(frozen=True, slots=True)
class Layout:
    """`shape` is one of logs.blocks, `json`, or empty for a log of single lines; `wrap` is how lines are cut, if they are, and `legend` the
    list of its codes."""

    shape: str
    threaded: bool
    backwards: bool
    """Does the newest line stand first?"""
    bodies: str
    """How lines below others may belong to them, as logs.blocks has it; empty where none do."""
    wrap: Wrap | None = None
    legend: Legend | None = None
    tagged: bool = False
    """Is every line an element or a tag (logs.tagged)?"""


def layout_of(item: Item, reading: Reading, year: int) -> Layout:
    """The layout of a log by its first lines."""
    with open_input(item.path) as stream:
        head = stream.read(HEAD)
    if head.lstrip()[:1] in (b"[", b"{") and reading.size <= MOST_JSON and is_json(head.decode("utf-8", "replace")):
        plain = Layout("json", False, False, "")
        first = (text for (_, text), _ in zip(records(item, reading, plain), range(DATED), strict=False))
        return Layout("json", False, runs_backwards(first, year), "")
    raw = head.split(b"\n")[:LOOKED_AT]
    lines = [decode_line(line)[0] for line in (raw if len(head) < HEAD else raw[:-1])]
    tagged = is_tagged(lines)
    lines = list(map(untagged, lines)) if tagged else lines
    wrap = None if tagged else wrap_of(lines)
    if wrap is not None:
        lines = [text for _, text in unwrapped(enumerate(lines), wrap)]
    begun = sum(line[:1].isspace() for line in lines) + sum(_COUNTED.match(line) is not None for line in raw)
    # Most logs are of single lines, which is seen without taking them apart.
    several = tagged or 5 * begun > len(raw) or 2 * sum(map(may_be_fields, raw)) > len(raw)
    shape = shape_of(lines) if several else ""
    threaded = not shape and is_of_threads(line[:BEGINNING] for line in lines[:THREADS])
    bodies = "" if shape else bodies_of(lines)
    return Layout(shape, threaded, runs_backwards(lines[:DATED], year), bodies, wrap, legend_of(lines), tagged)


def every_line(item: Item, reading: Reading) -> Iterator[tuple[int, str]]:
    """(number, cleaned text) of every line."""
    with open_input(item.path) as stream:
        for number, text, _, _ in read_lines(stream):
            if not number % 1024:
                reading.about(number)
            yield number, text


def records(
    item: Item, reading: Reading, layout: Layout, keep: Callable[[int, str], bool] | None = None, bodies: str = ""
) -> Iterator[tuple[int, str]]:
    """(number of a line, text) of every record, whatever lines it lies in, as they stand in the file. `keep` says which lines (of JSON
    records) count at all. With `bodies` lines that may belong to the one above them do: all in one record (`joined`), or each (`apart`)."""
    rows = _of_json(item) if layout.shape == "json" else every_line(item, reading)
    rows = ((number, text) for number, text in rows if keep is None or keep(number, text))
    if layout.tagged:
        rows = ((number, untagged(text)) for number, text in rows)
    if layout.wrap is not None:
        rows = unwrapped(rows, layout.wrap)
    if layout.legend is not None:
        rows = explained(rows, layout.legend)
    if layout.shape not in ("", "json"):
        return joined(rows, layout.shape)
    return with_bodies(rows, layout.bodies, apart=bodies == "apart") if bodies and layout.bodies else rows


def _of_json(item: Item) -> Iterator[tuple[int, str]]:
    with open_input(item.path) as stream:
        text = stream.read(MOST_JSON).decode("utf-8-sig", "replace")
    return ((number, decode_line(record.encode("utf-8", "replace"))[0]) for number, record in rows_of(text))


def turned(rows: Iterable[tuple[int, str]], layout: Layout) -> Iterable[tuple[int, str]]:
    """Rows in the order of their time."""
    return reversed(list(rows)) if layout.backwards else rows
