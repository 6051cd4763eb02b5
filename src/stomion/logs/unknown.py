"""The words of a line that no row of the vocabulary has: what its meaning rests on, where it was concluded from the words around them."""

from __future__ import annotations

import re
from functools import lru_cache

from stomion.logs.lexicon import RELEVANT, plain
from stomion.logs.naming import without_names
from stomion.logs.words import pattern, vocabulary

MOST = 3
_WORD = re.compile(r"(?<![\w.@/-])[A-Za-z]{3,24}(?![\w@/-]|\.\w)")
"""A word by itself: what is joined to others is a name."""


@lru_cache(4_096)
def is_unknown(word: str) -> bool:
    """Is a word, in lower case, in no row of the vocabulary, so that it may be somebody's name?"""
    alone = f" {word} "
    return RELEVANT.search(word) is None and not any(pattern(name).search(alone) for name in vocabulary())


def unknown_words(text: str) -> tuple[str, ...]:
    """The first words of a line, without its names and numbers, that are in no row of any idea."""
    text = without_names(text)
    words = plain(text)
    known = " ".join(found[0] for name in vocabulary() for found in pattern(name).finditer(words)).split()
    fresh = (m[0].lower() for m in _WORD.finditer(text))
    return tuple(dict.fromkeys(w for w in fresh if w not in known))[:MOST]
