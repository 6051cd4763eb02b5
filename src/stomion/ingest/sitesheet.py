"""A site sheet among the evidence; what is wrong in it becomes a line each."""

from __future__ import annotations

from stomion.errors import UnreadableInput
from stomion.ingest.item import read_whole
from stomion.ingest.owners import note_address
from stomion.ingest.reading import Kind, Reading
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

    return make() if reading.keeper is None else reading.keeper.made(reading.item, data, SheetReading, make)


SHEET = Kind("sheet", lambda item, _head: item.place == "sites" and item.path.suffix == ".toml", _read)
