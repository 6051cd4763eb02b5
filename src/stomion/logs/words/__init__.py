"""The trade's vocabulary: words and short phrases, one a row, under the idea that they carry.

A row is a regular expression of plain words (`stomion.logs.lexicon.plain`), written so that it can be read: it begins and ends at whole
words, `~` at its end lets its last word go on, ` ..3` is a gap of up to three words, and `{name}` any row of another idea. `+name`
takes over all rows of another one. A group in brackets captures nothing.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources
from types import MappingProxyType

import msgspec

_GAP = re.compile(r" \.\.(\d)")
_GROUP = re.compile(r"(?<!\\)\((?!\?)")
_REFERENCE = re.compile(r"\{([a-z][a-z ]*)\}")


class Idea(msgspec.Struct, frozen=True):
    """What a set of words says, its own rows as written, and the ideas whose rows it takes over."""

    name: str
    meaning: str
    file: str
    rows: tuple[str, ...]
    others: tuple[str, ...]


@lru_cache(1)
def vocabulary() -> Mapping[str, Idea]:
    """Every idea by its name, in the order of the files."""
    found: dict[str, Idea] = {}
    for file in sorted(resources.files("stomion.logs.words").iterdir(), key=lambda file: file.name):
        if file.name.endswith(".txt"):
            for part in file.read_text("utf-8").removeprefix("# ").split("\n# "):
                idea = _read(part, file.name.removesuffix(".txt"))
                found[idea.name] = idea
    return MappingProxyType(found)


def _read(part: str, file: str) -> Idea:
    head, *rows = part.rstrip("\n").split("\n")
    name, _, meaning = head.partition(": ")
    rows = [row for row in rows if row]
    own = tuple(row for row in rows if row[0] != "+")
    return Idea(name, meaning, file, own, tuple(row[1:] for row in rows if row[0] == "+"))


def named_in(file: str) -> tuple[str, ...]:
    """The names of the ideas of one file."""
    return tuple(name for name, idea in vocabulary().items() if idea.file == file)


def rows_of(name: str) -> tuple[str, ...]:
    """The rows of an idea as they are written, with those that it takes over."""
    idea = vocabulary()[name]
    return tuple(dict.fromkeys((*(row for other in idea.others for row in rows_of(other)), *idea.rows)))


def expression(row: str, before: str = " ", after: str = "(?= )") -> str:
    """The regular expression of a row between `before` and `after`."""
    text = _GAP.sub(r"( \\S+){0,\1}", row)
    text = _REFERENCE.sub(lambda m: "(" + "|".join(expression(row, "", "") for row in rows_of(m[1])) + ")", text)
    text = _GROUP.sub("(?:", text)
    text = text[:-1] if text.endswith("~") else text + after
    return text if text.startswith("(?<") else before + text


@lru_cache(256)
def pattern(*names: str, before: str = " ", after: str = "(?= )") -> re.Pattern[str]:
    """What finds any row of the ideas in plain words."""
    return re.compile("|".join(expression(row, before, after) for name in names for row in rows_of(name)))
