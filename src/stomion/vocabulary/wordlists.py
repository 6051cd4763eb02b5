"""Vocabulary as text: files of sets of words, a word or a short phrase on a line.

A set begins with `# name: what it means`; a row that begins with `+` takes over the rows of the set that it names.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from importlib import resources
from types import MappingProxyType

import msgspec


class WordSet(msgspec.Struct, frozen=True):
    """What a set of words says, its own rows as written, and the sets whose rows it takes over."""

    name: str
    meaning: str
    file: str
    rows: tuple[str, ...]
    others: tuple[str, ...]


@lru_cache
def word_sets(package: str) -> Mapping[str, WordSet]:
    """Every set of the `.txt` files of a package by its name, in the order of the files."""
    found: dict[str, WordSet] = {}
    for file in sorted(resources.files(package).iterdir(), key=lambda file: file.name):
        if file.name.endswith(".txt"):
            for part in file.read_text("utf-8").removeprefix("# ").split("\n# "):
                one = _read(part, file.name.removesuffix(".txt"))
                found[one.name] = one
    return MappingProxyType(found)


def _read(part: str, file: str) -> WordSet:
    head, *rows = part.rstrip("\n").split("\n")
    name, _, meaning = head.partition(": ")
    rows = [row for row in rows if row]
    own = tuple(row for row in rows if row[0] != "+")
    return WordSet(name, meaning, file, own, tuple(row[1:] for row in rows if row[0] == "+"))
