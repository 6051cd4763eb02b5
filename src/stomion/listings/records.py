"""The records of a listing: one for each SA or tunnel, from tables with a header, paragraphs, or lines of keys and values."""

from __future__ import annotations

import json
import re
from collections import deque
from collections.abc import Iterator, Sequence

from stomion.listings.keywords import DIRECTIONS
from stomion.listings.phrases import lines_of_phrases
from stomion.listings.raw import Raw
from stomion.listings.tables import KEYED, tables
from stomion.listings.turned import turned_tables, two_lines
from stomion.shapes.statement import Statement
from stomion.shapes.text import statements_of

MOST_LINES, MOST_RECORDS = 20_000, 5_000
_PAIR = re.compile(r"([A-Za-z][\w.%/-]{0,80})=(\"[^\"]*\"|'[^']*'|[^\s,;]+)")
MOST_SHAPED = 1 << 20
"""Characters of a text that is read in any shape of a configuration, after all others."""
MOST_KEY = 200
"""Characters of a key with what it stands under."""
WIDEST = 2_000
"""Characters of a line; what stands beyond tells nothing more."""
DEEPEST = 6
"""Levels of indentation whose words go with a key."""
PAIRS_OF_A_LINE = 4
"""Keys and values from which on a line is a record of its own."""


def readings_of(text: str) -> Iterator[list[Raw]]:
    """The records of a text in each shape that it may have, the likeliest first; none for a text without any."""
    lines = [line[:WIDEST] for line in text.split("\n")[:MOST_LINES]]
    if text.lstrip()[:1] in ("{", "["):
        found = _from_data(text)[:MOST_RECORDS]
        if found:
            yield found
    if text.lstrip()[:1] == "<":
        yield _blocks(statements_of(text))[:MOST_RECORDS]
        return
    for shape in (
        _lines_of_pairs,
        _lists,
        _shaped,
        turned_tables,
        two_lines,
        tables,
        _separated,
        lines_of_phrases,
        _paragraphs,
    ):
        found = shape(lines)
        if found:
            yield found[:MOST_RECORDS]
    if len(text) < MOST_SHAPED:
        yield _blocks(statements_of("\n".join(lines)))[:MOST_RECORDS]


def _by_colons(line: str) -> list[tuple[str, str]]:
    """`key: value, key: value` on one line."""
    parts = [part.partition(": ") for part in re.split(r", |; ", line.strip())]
    return [(key.strip(), value.strip()) for key, _, value in parts] if all(value for _, _, value in parts) else []


def _lists(lines: list[str]) -> list[Raw]:
    """`Tunnel 1: remote address 192.0.2.1; state up; age 3m`: of each part, the words up to its value are the key."""
    out = []
    for number, line in enumerate(lines, 1):
        head, sign, rest = line.partition(": ")
        parts = (rest if sign and ";" not in head else line).split("; ")
        if len(parts) > 1:
            out.append(Raw(number, head if sign else "", [pair for part in parts if (pair := _pair(part.split()))]))
    return out if any(len(raw.pairs) >= PAIRS_OF_A_LINE for raw in out) else []


def _pair(words: list[str]) -> tuple[str, str] | None:
    """A key and its value, which begins with the first word that has a digit; a state's is all that stands behind its word."""
    if len(words) < len(("key", "value")):
        return None
    at = next((n for n, word in enumerate(words) if n and re.search(r"\d", word)), len(words) - 1)
    at = next((n + 1 for n, word in enumerate(words[:-1]) if _STATED.fullmatch(word)), at)
    return " ".join(words[:at])[:MOST_KEY], " ".join(words[at:])


_STATED = re.compile(r"state|status|condition", re.IGNORECASE)


def _shaped(lines: list[str]) -> list[Raw]:
    """Sections, lists of keys, and names with dots: their own signs say what is of one tunnel."""
    braces = sum(line.rstrip().endswith("{") for line in lines) > 1
    if (
        not braces
        and sum(_SHAPE.match(line) is not None for line in lines) < len(("one", "two"))
        and not _SHAPE.match(lines[0])
    ):
        return []
    return _blocks(statements_of("\n".join(lines)))


_SHAPE = re.compile(
    r"\s*(?:\[{1,2}[A-Za-z][\w. \"-]*\]{1,2}\s*$|- +[\w-]+:\s|[A-Za-z][\w-]*(?:\.|\[)[\w.\[\]-]+ *[=:] )"
)


def _blocks(statements: Sequence[Statement]) -> list[Raw]:
    """The innermost blocks that tell of a state or an SPI, with all that stands in them."""
    out: list[Raw] = []
    for statement in statements:
        if not statement.kids:
            continue
        inner = _blocks(statement.kids)
        own = any(_TOLD.search(" ".join(_key(kid))) for kid in statement.kids if not kid.kids)
        if inner and not own:
            out += inner
        elif own:
            pairs = [
                (" ".join([*above, *_key(leaf)])[:MOST_KEY], " ".join(leaf.words[len(_key(leaf)) :]))
                for above, leaf in statement.leaves()
                if len(leaf.words) > len(_key(leaf))
            ]
            way = [("direction", word) for word in statement.words[:1] if word.lower() in DIRECTIONS]
            out.append(Raw(statement.line, " ".join(statement.words[1:]), [*way, *pairs]))
    return out


def _key(leaf: Statement) -> tuple[str, ...]:
    """The words of a line's key: one, where no sign parts it from its value."""
    return leaf.words[: leaf.key or 1]


_ADDRESS = re.compile(r"\d{1,3}(?:\.\d{1,3}){3}|[0-9a-fA-F]*:[0-9a-fA-F:]+:[0-9a-fA-F]*")
_TOLD = re.compile(r"state|status|condition|spi", re.IGNORECASE)


def _lines_of_pairs(lines: list[str]) -> list[Raw]:
    out = []
    for number, line in enumerate(lines, 1):
        pairs = [(m[1], m[2].strip("\"'")) for m in _PAIR.finditer(line)] or _by_colons(line)
        stated = len(pairs) > 1 and any(_TOLD.search(key) for key, _ in pairs)
        if len(pairs) >= PAIRS_OF_A_LINE or stated:
            out.append(Raw(number, _PAIR.sub("", line).strip(), pairs))
    return out if any(len(raw.pairs) >= PAIRS_OF_A_LINE for raw in out) else []


def _from_data(text: str) -> list[Raw]:
    """Objects with values of their own in JSON; what stands in objects inside goes under their key."""
    try:
        data = json.loads(text)
    except (ValueError, RecursionError):
        return []
    out: list[Raw] = []
    todo: deque[object] = deque([data])
    while todo and len(out) < MOST_RECORDS:
        one = todo.popleft()
        if isinstance(one, list):
            todo += one
        elif isinstance(one, dict):
            pairs = list(_flat(one, ""))
            stated = any(_TOLD.search(key) for key, _ in pairs) and any(_ADDRESS.fullmatch(value) for _, value in pairs)
            if len(pairs) >= PAIRS_OF_A_LINE - 1 or stated:
                out.append(Raw(0, "", pairs, len(out)))
            else:
                todo += one.values()
    return out


def _flat(data: dict[str, object], above: str) -> Iterator[tuple[str, str]]:
    for key, value in data.items():
        name = f"{above} {key}".strip()
        if isinstance(value, dict):
            yield from _flat(value, name) if len(name) < MOST_KEY else ()
        elif isinstance(value, str | int | float) and not isinstance(value, bool):
            yield name, f"0x{value:08x}" if isinstance(value, int) and "spi" in name.lower() else str(value)


_VALUE = re.compile(r"^\d|\d{3}|[=]")


def _separated(lines: list[str]) -> list[Raw]:
    """A line of names and lines of values, with the same sign between them."""
    full = [(n, line) for n, line in enumerate(lines, 1) if line.strip()]
    for sign in (";", "\t", ",", "|"):
        for at, (_, line) in enumerate(full[:12]):
            names = [name.strip(" \"'") for name in line.split(sign)]
            if len(names) < PAIRS_OF_A_LINE or any(_VALUE.search(name) for name in names):
                continue
            rows = [(n, [v.strip(" \"'") for v in row.split(sign)]) for n, row in full[at + 1 :]]
            good = [(n, row) for n, row in rows if len(row) == len(names)]
            if good:
                return [Raw(n, "", [(k, v) for k, v in zip(names, row, strict=True) if v]) for n, row in good]
    return []


def _paragraphs(lines: list[str]) -> list[Raw]:
    """Lines of a key and a value under a line that says of whom; one that is indented less, or comes after an empty line, begins anew."""
    out: list[Raw] = []
    under: list[tuple[int, str]] = []
    empty = True
    for number, line in enumerate(lines, 1):
        if not line.strip():
            empty = True
            continue
        depth = len(line) - len(line.lstrip())
        keyed = KEYED.match(line.strip())
        while under and under[-1][0] >= depth:
            under.pop()
        title = keyed is None or not keyed[2]
        if title and depth == 0:
            out.append(Raw(number, line.strip().rstrip(":")))
            under = []
        elif keyed is None or not keyed[2]:
            if out:
                out[-1].pairs += [(" ".join([*(u for _, u in under), m[1]]), m[2]) for m in _PAIR.finditer(line)]
                if not _PAIR.search(line):
                    out[-1].pairs.append((" ".join(u for _, u in under), line.strip().rstrip(":")))
            if len(under) < DEEPEST:
                under.append((depth, line.strip().rstrip(":")[:MOST_KEY]))
        else:
            if not out or (empty and depth == 0 and out[-1].pairs) or (depth == 0 and _again(out[-1], keyed[1])):
                out.append(Raw(number))
            above = [words for _, words in under]
            several = _beside(line) or [(keyed[1].strip(), keyed[2])]
            out[-1].pairs += [(" ".join([*above, key]), value) for key, value in several]
        empty = False
    return [raw for raw in out if raw.pairs]


def _beside(line: str) -> list[tuple[str, str]]:
    """`key: value   key: value`, parted by wide gaps."""
    found = [KEYED.match(part) for part in re.split(r" {2,}|\t", line.strip())]
    told = [(m[1].strip(), m[2]) for m in found if m is not None and m[2]]
    return told if len(told) == len(found) > 1 else []


def _again(raw: Raw, key: str) -> bool:
    """Does the first key of a record come again?"""
    return bool(raw.pairs) and raw.pairs[0][0].lower() == key.strip().lower()
