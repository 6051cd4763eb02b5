"""Tables that stand on their side: a key at the head of each line, and a column for each tunnel."""

from __future__ import annotations

import re

from stomion.listings.raw import Raw

LINES = 4
"""Lines from which on keys at their heads are a table."""
_CELLS = re.compile(r"\s{2,}|\t|\s*[|│]\s*")
_SPI = re.compile(r"\bspi", re.IGNORECASE)
_STATE = re.compile(r"\b(?:state|status|condition)\b", re.IGNORECASE)


def turned_tables(lines: list[str]) -> list[Raw]:
    """A record for each column of values."""
    out: list[Raw] = []
    block: list[tuple[int, list[str]]] = []
    for number, line in enumerate([*lines, ""], 1):
        cells = _CELLS.split(line.strip(" |│\t"))
        fits = len(cells) > 1 and re.match(r"[A-Za-z]", cells[0]) is not None
        if fits and (not block or len(cells) == len(block[0][1])):
            block.append((number, cells))
            continue
        out += _records(block)
        block = [(number, cells)] if fits else []
    return out


def _records(block: list[tuple[int, list[str]]]) -> list[Raw]:
    keys = [cells[0] for _, cells in block]
    if len(block) < LINES or not any(map(_SPI.search, keys)) or not any(map(_STATE.search, keys)):
        return []
    return [
        Raw(block[0][0], "", [(key, cells[n]) for key, (_, cells) in zip(keys, block, strict=True)], n)
        for n in range(1, len(block[0][1]))
    ]
