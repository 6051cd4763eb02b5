"""Every kind of file that can be read, in the order in which they are asked. A new kind is one module and one line here."""

from __future__ import annotations

from pathlib import Path

from stomion.ingest import (
    capture,
    casefile,
    csvrecords,
    dumpfile,
    listed,
    logfile,
    nothing,
    osdrops,
    ostables,
    pasted,
    records,
    sitesheet,
    yang,
)
from stomion.ingest.item import Item
from stomion.ingest.reading import Kind

KINDS: tuple[Kind, ...] = (
    casefile.CASE,
    sitesheet.SHEET,
    nothing.EMPTY,
    capture.CAPTURE,
    nothing.KEYS,
    records.RECORDS,
    csvrecords.CSV_RECORDS,
    ostables.FILTER_RULES,
    yang.MODEL_DATA,
    ostables.ADDRESSES,
    osdrops.LINKS,
    ostables.RULES,
    ostables.ROUTES,
    nothing.BINARY,
    ostables.FORWARDING,
    listed.LISTED,
    pasted.PASTED,
    ostables.POLICIES,
    ostables.STATES,
    osdrops.DROPS,
    dumpfile.DUMP,
    logfile.LOG,
)


def kind_of(item: Item, head: bytes) -> Kind:
    """The first kind that a file fits; what fits nothing is binary."""
    return next((kind for kind in KINDS if kind.fits(item, head)), nothing.BINARY)


def recognised(head: bytes) -> str:
    """The name of the kind of a file of nobody's, by its first bytes alone."""
    return kind_of(Item(Path("-"), "-", None, None, ""), head).name
