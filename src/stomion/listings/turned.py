"""Tables that are laid out otherwise: on their side, with a column for each tunnel; or with two lines for each of their rows."""

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
        fits = len(cells) > 1 and cells[1][:1] not in (":", "=") and re.match(r"[A-Za-z]", cells[0]) is not None
        if fits and (not block or len(cells) == len(block[0][1])):
            block.append((number, cells))
            continue
        out += _records(block, known=bool(out))
        block = [(number, cells)] if fits else []
    return out


def _records(block: list[tuple[int, list[str]]], *, known: bool) -> list[Raw]:
    """`known` where a block before was one: one without an SA tells less."""
    keys = [cells[0] for _, cells in block]
    full = len(block) >= LINES and any(map(_SPI.search, keys))
    if not (full or (known and len(block) > 1)) or not any(map(_STATE.search, keys)):
        return []
    return [
        Raw(block[0][0], "", [(key, cells[n]) for key, (_, cells) in zip(keys, block, strict=True)], n)
        for n in range(1, len(block[0][1]))
    ]


def two_lines(lines: list[str]) -> list[Raw]:
    """A table whose head and rows have two lines each, the second of which stands deeper."""
    rule = next((n for n, line in enumerate(lines) if n > 1 and _RULE.fullmatch(line.strip() or "x")), 0)
    heads = [_CELLS.split(line.strip()) for line in lines[max(rule - 2, 0) : rule]]
    body = [(n, line) for n, line in enumerate(lines[rule + 1 :], rule + 2) if line.strip()] if rule else []
    if len(heads) != PAIR or len(body) < PAIR or not any(map(_SPI.search, heads[1])):
        return []
    out = []
    for (number, first), (_, second) in zip(body[::2], body[1::2], strict=False):
        cells = [_CELLS.split(line.strip()) for line in (first, second)]
        if first[:1].isspace() or not second[:1].isspace() or [len(c) for c in cells] != [len(h) for h in heads]:
            return []
        out.append(Raw(number, "", [*zip(heads[0], cells[0], strict=True), *zip(heads[1], cells[1], strict=True)]))
    return out


PAIR = 2
_RULE = re.compile(r"[-=─━═ ]{6,}")
