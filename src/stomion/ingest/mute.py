"""Texts of which nothing is understood, and that are the log of a gateway all the same: what they say can be taught."""

from __future__ import annotations

from itertools import islice

from stomion.ingest.loglayout import every_line
from stomion.ingest.reading import Reading
from stomion.logs.timestamps import find_stamp
from stomion.logs.values import names_a_suite
from stomion.vocabulary.addresses import read_addresses

LOOKED_AT = 400
"""Lines by which it is told whether a text is a log at all."""
TIMED, PART = 8, 1 / 8
"""Of these must have a time: so many, and such a part."""
MOST = 50_000
"""Lines that are searched for what only a negotiation names."""


def may_be_taught(reading: Reading) -> bool:
    """Do the lines of a text have times, and some of them a cipher with its hash or group, or an address of another site that is known?"""
    item = reading.item
    head = [text for _, text in islice(every_line(item, reading), LOOKED_AT) if text.strip()]
    timed = sum(find_stamp(text, year=1970) is not None for text in head)
    if timed < max(TIMED, PART * len(head)):
        return False
    others = {address for site, known in reading.evidence.addresses.items() if site != item.site for address in known}
    return any(
        names_a_suite(text) or _names_one_of(text, others) for _, text in islice(every_line(item, reading), MOST)
    )


def _names_one_of(text: str, others: set[str]) -> bool:
    return bool(others) and not others.isdisjoint(address for address, _ in read_addresses(text).endpoints)
