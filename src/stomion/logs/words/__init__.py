"""The trade's vocabulary: words and short phrases, one a row, under the idea that they carry.

A row is a regular expression of plain words (`stomion.logs.lexicon.plain`), written so that it can be read: it begins and ends at whole
words, `~` at its end lets its last word go on, ` ..3` is a gap of up to three words, and `{name}` any row of another idea. `+name`
takes over all rows of another one. A group in brackets captures nothing.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache

from stomion.vocabulary.wordlists import WordSet, word_sets

_GAP = re.compile(r" \.\.(\d)")
_GROUP = re.compile(r"(?<!\\)\((?!\?)")
_REFERENCE = re.compile(r"\{([a-z][a-z ]*)\}")


def vocabulary() -> Mapping[str, WordSet]:
    """Every idea by its name, in the order of the files."""
    return word_sets("stomion.logs.words")


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
