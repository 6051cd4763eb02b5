"""Keys of several words as one word each: `Local Outer Address: 192.0.2.1` says the same as `local-outer-address 192.0.2.1`."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field

from stomion.drafts import words as w
from stomion.drafts.kinds import kind_word
from stomion.shapes.statement import Statement

_PLAIN = re.compile(r"[A-Za-z][A-Za-z-]*")
_PLAIN_NAME = re.compile(r"[A-Za-z][\w.-]*")
MOST = 6
"""Words of a key."""
_BESIDE = frozenset({
    "value", "data", "type", "time", "version", "number", "detection", "sa", "secs", "seconds", "sec", "function", "random", "algorithm",
    "algorithms", "mode", "exchange", "method", "major", "of", "check", "pre", "ip", "entry", "access", "security", "rule", "policy",
    "chain", "table", "list", "set", "name",
})  # fmt: skip
"""What stands in keys beside words with a meaning."""
_VERBS = frozenset({"set", "add", "create", "config", "edit", "define", "new", "insert"})
"""First words of lines that only say that something follows."""
_PEERS = frozenset({"peer", "gateway", "connection", "tunnel", "policy", "profile"})
_TWO = ("IPsec", "peer")
_NAMED = frozenset({"interface", "network", "tunnel"})
"""Kinds of things that have a name, which may be a word such as `lan` or `home`."""
_KNOWN = w.VOCABULARY | _BESIDE
Words = tuple[str, ...]


def with_whole_keys(top: list[Statement]) -> None:
    """Join the words of each key that a sign ends, and those that several heads begin with."""
    every = list(_every(top))
    seen = _Seen()
    for one in every:
        seen.add(one)
    seen.name(every)
    for one in every:
        length = seen.length(one)
        if length > 1:
            _join(one, length)


def _every(top: Sequence[Statement]) -> Iterator[Statement]:
    todo = list(top)
    while todo:
        one = todo.pop()
        yield one
        todo += one.kids


@dataclass(slots=True)
class _Seen:
    """How often each word stands in a text, how often in a key or first in a head, and the words that heads begin with."""

    words: Counter[str] = field(default_factory=Counter)
    inside: Counter[str] = field(default_factory=Counter)
    heads: Counter[Words] = field(default_factory=Counter)
    """Once for each way to go on."""
    named: Counter[Words] = field(default_factory=Counter)
    """Two words that begin several heads, of which each goes on with one word that has no meaning, and nothing else does."""
    _ways: set[Words] = field(default_factory=set)

    def add(self, one: Statement) -> None:
        self.words.update(one.words)
        if one.key > 1:
            self.inside.update(one.words[: one.key])
        elif one.kids:
            self.inside.update(one.words[:1] if len(one.words) > 1 else ())
            for length in range(2, min(len(one.words), MOST) + 1):
                way = one.words[: length + 1]
                if len(way) == length or way not in self._ways:
                    self._ways.add(way)
                    self.heads[one.words[:length]] += 1

    def name(self, every: Sequence[Statement]) -> None:
        """Find the pairs of words behind which names stand alone: `Network card wan`, `Network card lan`."""
        second: dict[str, set[str]] = {}
        third: dict[Words, set[str]] = {}
        for one in every:
            if one.kids and len(one.words) > 1:
                second.setdefault(one.words[0], set()).add(one.words[1])
                third.setdefault(one.words[: len(_TWO)], set()).add(" ".join(one.words[len(_TWO) :]))
        for pair, names in third.items():
            alone = len(second[pair[0]]) == 1 and len(names) > 1 and all(map(_PLAIN_NAME.fullmatch, names))
            self.named[pair] += alone and not any(_are_known((name,)) for name in names)

    def length(self, one: Statement) -> int:
        """How many words are the statement's key; 0 where nothing tells that it has several."""
        if one.key > 1:
            return one.key if one.key <= MOST and self._is_key(one.words[: one.key]) else 0
        if not one.kids or one.quoted:
            return 0
        longest = min(len(one.words), MOST)
        if len(one.words) == len(_TWO) and kind_word(one.words[0]) in _NAMED:
            # "interface lan", told twice: its name is a word with a meaning.
            return 0
        shared = (n for n in range(longest, 1, -1) if self.heads[one.words[:n]] > 1 and self._begins(one.words[:n]))
        return next(shared, len(_TWO) if self._is_pair(one.words) else 0)

    def _is_pair(self, words: Words) -> bool:
        """`IPsec peer NAME`, once: is the second word one that stands beside others, and the third none with a meaning?"""
        if len(words) != len(_TWO) + 1 or not self._begins(words[: len(_TWO)]):
            return False
        return words[1].lower() in _BESIDE | _PEERS and not _are_known(words[-1:]) and not w.is_value(words[-1])

    def _is_key(self, words: Words) -> bool:
        """Are all of them words with a meaning, or ones that stand nowhere but in keys?"""
        if not all(map(_PLAIN.fullmatch, words)):
            return False
        return _are_known(words) or all(
            _are_known((word,)) or 1 < self.words[word] == self.inside[word] for word in words
        )

    def _begins(self, words: Words) -> bool:
        """Are all of them words with a meaning, but for a first one that only begins heads?"""
        first = words[:1]
        if not words[-1].isdecimal():
            # "Layer 3 interface": a number in the midst of a key.
            words = tuple(word for word in words if not word.isdecimal())
        if first[0].lower() in _VERBS:
            return False
        if len(words) == len(_TWO) and _are_known(first) and self.named[words]:
            return True
        return _are_known(words[1:]) and (_are_known(first) or 1 < self.words[first[0]] == self.inside[first[0]])


def _are_known(words: Words) -> bool:
    return all(_PLAIN.fullmatch(word) and set(w.parts_of(word)) <= _KNOWN for word in words)


def _join(one: Statement, length: int) -> None:
    one.words = ("-".join(one.words[:length]), *one.words[length:])
    one.quoted = frozenset(n - length + 1 for n in one.quoted if n >= length)
    one.key = min(one.key, 1)
