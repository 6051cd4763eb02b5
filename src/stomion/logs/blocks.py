"""Logs whose records are several lines: a numbered line each, a line with a time and a body that is indented, or a field a line, with an
empty line or the first field again between them. Each becomes one line."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

from stomion.logs.lexicon import RELEVANT
from stomion.logs.timestamps import find_stamp
from stomion.vocabulary.addresses import read_addresses

_NUMBERED = re.compile(r"(\d{1,9})\.(\d{1,4})\s+(?=\S)")
_BODY = re.compile(r"(?<!\s)\s+\S.{0,60}?(?:\s*\.{3,}\s*|\s*[:=]\s+|\s{2,})\S")
_TELLS = re.compile(r"verdict|refus|reject|result|outcome|cause|reason|ground", re.IGNORECASE)
_LEADER = re.compile(r"(?:(?<!\s)\s+)?\.{3,}\s*")
_EMPTY = re.compile(r"[\s=*_#.~-]*")
"""A line with nothing in it, or a rule between two records."""
_COUNTED = re.compile(r"[\[({<*=#\s-]{0,8}[A-Za-z][A-Za-z _-]{0,30}[ #.]{1,3}\d{1,12}[\])}>*=#.\s-]{0,8}")
"""A head that but counts the records, as `[event 42]`."""
LOOKED_AT = 400
"""Lines by which a shape is told."""
MOST_OF = 0.6
"""Share of the lines that must have it."""
LEAST_HEADS = 4
LONGEST = 40
"""Lines of one record; a longer body is cut, for it may be anything."""


def shape_of(lines: Sequence[str]) -> str:
    """`numbered`, `indented`, `fields`, or empty for a log of single lines."""
    full = [line for line in lines[:LOOKED_AT] if not _EMPTY.fullmatch(line)]
    if _is_of_fields([line for line in full if not _COUNTED.fullmatch(line)]):
        return "fields"
    if len(full) < 2 * LEAST_HEADS:
        return ""
    numbers = [(m[1], int(m[2])) for line in full if (m := _NUMBERED.match(line))]
    steps = sum((a, n + 1) == (b, m) for (a, n), (b, m) in pairwise(numbers))
    if len(numbers) >= MOST_OF * len(full) and steps > len(numbers) / 4:
        return "numbered"
    heads = [line for line in full if not line[:1].isspace()]
    bodies = [line for line in full if line[:1].isspace()]
    if len(heads) < LEAST_HEADS or len(bodies) < len(full) / 4:
        return ""
    keyed = sum(_BODY.match(line) is not None for line in bodies)
    timed = sum(find_stamp(line, year=1970) is not None for line in heads)
    return "indented" if keyed >= MOST_OF * len(bodies) and timed >= MOST_OF * len(heads) else ""


def may_be_fields(line: bytes) -> bool:
    """Does a line look like a field and its value?"""
    return _FIELD_LINE.match(line) is not None


_FIELD_LINE = re.compile(rb"[A-Za-z][A-Za-z_ -]{0,30}(?:[:=]\s?|\s?\.{3,}\s?)")
_FIELD = re.compile(r"([A-Za-z][A-Za-z_ -]{0,30}?) ?(?:[:=]|\.{3,})")
_NEARLY_ALL = 0.9
_FIELDS_OF_ONE = 2.0
"""Lines of a record at least, on the average."""


def _is_of_fields(full: Sequence[str]) -> bool:
    """Is every line a field, and does the first one, which has the time, come again and again?"""
    names = [m[1] for line in full if (m := _FIELD.match(line))]
    if len(names) < _NEARLY_ALL * len(full):
        return False
    heads = [line for line in full if line.startswith(names[0]) and find_stamp(line, year=1970) is not None]
    return len(heads) >= LEAST_HEADS and len(full) >= _FIELDS_OF_ONE * len(heads)


def bodies_of(lines: Sequence[str]) -> str:
    """How lines without a time belong to the one with a time above them, whatever stands in these: `indented`, `below` where that is a headline
    alone, `above` where the headline has no time and they have, or empty where they do not."""
    full = [line for line in lines[:LOOKED_AT] if line.strip()]
    bodies = [line for line in full if line[:1].isspace()]
    heads = [line for line in full if not line[:1].isspace()]
    if _are_above([line for line in full if find_stamp(line, year=1970) is None], full):
        return "above"
    timed = [line for line in heads if find_stamp(line, year=1970) is not None]
    if len(timed) < LEAST_HEADS:
        return ""
    if len(timed) < MOST_OF * len(heads):
        return "below" if _are_headlines(timed) else ""
    apart = (line for line in bodies[:LEAST_HEADS] if not _OFFSET.match(line))
    indented = len(bodies) >= len(full) / 8 and not any(find_stamp(line, year=1970) for line in apart)
    return "indented" if indented else ""


_BRANCH = re.compile(r"[\s|+`\\└├─│>*•=#-]+")
"""What is drawn before the lines of a tree."""
_MOST_HEAD = 3
"""Words of a headline that only says whose the lines below it are."""


def _are_above(untimed: Sequence[str], full: Sequence[str]) -> bool:
    """Are the lines without a time headlines, short and some with nothing but an address, of those with one?"""
    if not LEAST_HEADS <= len(untimed) <= len(full) / 2:
        return False
    short = [line for line in untimed if len(_BRANCH.sub(" ", line).split()) <= _MOST_HEAD]
    # A title may stand above all of them.
    return len(short) >= _NEARLY_ALL * (len(untimed) - 1) and any(read_addresses(line).endpoints for line in short)


_DIGITS = re.compile(r"[0-9a-f]*\d[0-9a-f]*")


def _are_headlines(timed: Sequence[str]) -> bool:
    """Do the lines with a time say the same, each with its own numbers, and one of them with an address?"""
    alike = {_DIGITS.sub("0", line) for line in timed}
    return len(alike) <= 1 + len(timed) / 8 and any(read_addresses(line).endpoints for line in timed)


def with_bodies(lines: Iterable[tuple[int, str]], bodies: str, apart: bool = False) -> Iterator[tuple[int, str]]:
    """Every line with those that belong to it, as one line; with `apart` one for each of these. `bodies` is what `bodies_of` tells."""
    if bodies == "above":
        yield from _with_heads(lines)
        return
    held: list[tuple[int, str]] = []
    for at, line in lines:
        if not line.strip():
            continue
        goes_on = line[:1].isspace() if bodies == "indented" else find_stamp(line, year=1970) is None
        if held and not (goes_on and len(held) < LONGEST):
            yield from _with_body(held, apart)
            held = []
        held.append((at, line))
    if held:
        yield from _with_body(held, apart)


def _with_heads(lines: Iterable[tuple[int, str]]) -> Iterator[tuple[int, str]]:
    """Every line with a time, with the headline above it that has none."""
    head = ""
    for at, line in lines:
        said = _BRANCH.sub(" ", line, count=1).strip()
        if find_stamp(line, year=1970) is None:
            head = said or head
        else:
            yield at, f"{said}; {head}" if head else said


def _with_body(held: list[tuple[int, str]], apart: bool) -> Iterator[tuple[int, str]]:
    (_, head), *body = held
    if len(body) > 1 and (apart or all(_OFFSET.match(line) for _, line in body)):
        yield from ((at, f"{head}; {_OFFSET.sub('', line, count=1).strip()}") for at, line in body)
    else:
        place, record = _record(held)
        yield place, "; ".join(record.split("\n"))


_OFFSET = re.compile(r"^\s+\+\s?\d{1,6}(?:[.,]\d{1,9})?\s?(?:m?s\b)?[:|]?\s+")
"""The time since the line above, which makes a line below it an event of its own."""


def joined(lines: Iterable[tuple[int, str]], shape: str) -> Iterator[tuple[int, str]]:
    """Every record, its lines with line breaks between them, with the number of its last line that is worth a look."""
    number = first = ""
    held: list[tuple[int, str]] = []
    for at, line in lines:
        if not line.strip() or (shape == "fields" and (_EMPTY.fullmatch(line) or _COUNTED.fullmatch(line))):
            continue
        if shape == "fields":
            name = _FIELD.match(line)
            first = first or (name[1] if name is not None else "")
            if held and ((name is not None and name[1] == first) or len(held) >= LONGEST):
                yield _of_fields(held)
                held = []
            held.append((at, line))
            continue
        found = _NUMBERED.match(line) if shape == "numbered" else None
        goes_on = (found is not None and found[1] == number) if shape == "numbered" else line[:1].isspace()
        if held and not (goes_on and len(held) < LONGEST):
            yield _record(held)
            held = []
        number = found[1] if found is not None else ""
        held.append((at, line[found.end() :] if found is not None else line))
    if held:
        yield _of_fields(held) if shape == "fields" else _record(held)


def _of_fields(held: list[tuple[int, str]]) -> tuple[int, str]:
    return held[0][0], "; ".join(_LEADER.sub(" ", line).strip() for _, line in held)


def _record(held: list[tuple[int, str]]) -> tuple[int, str]:
    place = next(
        (at for at, line in reversed(held) if _TELLS.search(line) or RELEVANT.search(line.lower())), held[0][0]
    )
    return place, "\n".join(_LEADER.sub(" ", line).strip() for _, line in held)
