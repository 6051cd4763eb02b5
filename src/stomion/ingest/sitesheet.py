"""A site sheet among the evidence; what is wrong in it becomes a line each."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress

from stomion.errors import UnreadableInput
from stomion.ingest.item import Item, read_whole
from stomion.ingest.owners import note_address
from stomion.ingest.reading import Kind, Made, Maker, Reading
from stomion.ingest.sheet import SheetReading, read_sheet


def _read(reading: Reading) -> None:
    reading.source("sheet", site=False)
    evidence = reading.evidence
    try:
        found = _sheet(reading, read_whole(reading.item))
    except UnicodeDecodeError as error:
        raise UnreadableInput("not UTF-8, which TOML is") from error
    sheet = found.sheet
    for line, text in found.troubles:
        reading.problem(text, line)
    if sheet.site in evidence.sheet_lines:
        earlier = evidence.sheet_lines[sheet.site]
        reading.problem(f"site {sheet.site!r} has a sheet already ({earlier}); this one is not used")
        return
    evidence.sheets.append(sheet)
    evidence.sheet_lines[sheet.site] = reading.item.name
    for interface in sheet.interface:
        for address in interface.addresses:
            note_address(evidence, sheet.site, address)


def _sheet(reading: Reading, data: bytes) -> SheetReading:
    def make() -> SheetReading:
        return read_sheet(data.decode("utf-8"))

    return make() if reading.maker is None else reading.maker.made(reading.item, data, SheetReading, make)


class Ahead:
    """Sheets that are parsed before their turn, while others are at work. `store` is asked for each, and given it."""

    def __init__(self, items: Iterable[Item], store: Maker | None) -> None:
        self._items = [item for item in items if is_sheet(item)]
        self._store = store
        self._ready: dict[str, tuple[bytes, SheetReading]] = {}

    def step_by_step(self) -> Iterator[None]:
        """One sheet a step. One that can't be read waits for its turn, to be told of there."""
        for item in self._items:
            with suppress(UnreadableInput, OSError, UnicodeDecodeError, RecursionError):
                if not item.path.is_file():
                    continue
                data = read_whole(item)
                self._ready[item.name] = data, self._parsed(item, data)
            yield

    def made(self, item: Item, data: bytes, kind: type[Made], make: Callable[[], Made]) -> Made:
        """A sheet that was parsed ahead, where its bytes are the same still."""
        before, found = self._ready.pop(item.name, (b"", None))
        if isinstance(found, kind) and before == data:
            return found
        return make() if self._store is None else self._store.made(item, data, kind, make)

    def _parsed(self, item: Item, data: bytes) -> SheetReading:
        return self.made(item, data, SheetReading, lambda: read_sheet(data.decode("utf-8")))


def is_sheet(item: Item, _head: bytes = b"") -> bool:
    """Is it a site's sheet by its place and name?"""
    return item.place == "sites" and item.path.suffix == ".toml"


SHEET = Kind("sheet", is_sheet, _read)
