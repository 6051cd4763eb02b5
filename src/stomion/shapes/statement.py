"""Statements within statements: what a configuration of any shape is brought to."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import pairwise

MAX_STATEMENTS = 20_000
MAX_DEPTH = 24
_TOKEN = re.compile(r"\"[^\"\n]*\"|'[^'\n]*'|<[-=]+>|[-=]+>|={2,3}|[{}()\[\],;]|[^\s{}()\[\],;\"']+")

_ONE = r"(?:\d{1,3}(?:\.\d{1,3}){3}|\d{1,5}|\d[\w.:]*[/-]\d[\d.]*|[A-Za-z]{2,6}[/:]\d[\d-]*|\d[\d-]*/(?:tcp|udp)|icmp|ICMP)"
_SEVERAL = re.compile(rf" *{_ONE}(?:[ ,;]+{_ONE})+ *")
"""Networks, services, or an address and its mask, that stand in one pair of quotes."""
_SEPARATED = re.compile(r"[ ,;]+")
_SIGN = re.compile(r"[:=|]|:=|\.{2,}")
"""Between a key and its value."""


@dataclass(slots=True)
class Statement:
    """`words` are its tokens without brackets, commas and the signs between a key and its value; those that stood in quotes are in
    `quoted` by their place."""

    words: tuple[str, ...]
    line: int
    kids: list[Statement] = field(default_factory=list)
    quoted: frozenset[int] = frozenset()
    key: int = 0
    """How many of the words are its key, where a sign tells; 0 where none does."""

    def leaves(self, above: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], Statement]]:
        """(words of the statements it stands in, statement) of everything inside that holds nothing itself."""
        for kid in self.kids:
            if kid.kids:
                yield from kid.leaves((*above, *kid.words))
            else:
                yield above, kid

    def until(self, count: int) -> Statement:
        """Its first words alone."""
        return Statement(self.words[:count], self.line, quoted=frozenset(n for n in self.quoted if n < count))

    def after(self, count: int) -> Statement:
        """The same without its first words."""
        return Statement(
            self.words[count:],
            self.line,
            self.kids,
            frozenset(n - count for n in self.quoted if n >= count),
            max(0, self.key - count),
        )


def statement(text: str, line: int) -> Statement:
    """A text's words, as they stand in one statement."""
    words: list[str] = []
    quoted: set[int] = set()
    for token in _TOKEN.findall(text):
        if token[:1] in "\"'":
            each = several(token[1:-1])
            quoted |= {len(words)} if len(each) == 1 else set()
            words += each
        elif token not in "{}()[],;":
            words += _parted(token)
    return Statement(tuple(words), line, quoted=frozenset(quoted))


def several(text: str) -> list[str]:
    """The values of a text in quotes: itself, or the networks and services that it lists."""
    return _SEPARATED.split(text.strip()) if _SEVERAL.fullmatch(text) else [text]


_KEY_WITHIN = re.compile(r"[A-Za-z\"]:\s")


def inline(text: str, line: int, depth: int = 0) -> Statement | None:
    """`key: {a: b, c: [d, e]}` as a block; None for what is none."""
    text = text.strip()
    before, brace, within = text.partition("{")
    if depth >= MAX_DEPTH or not brace or text[-1] != "}" or '"' in before or not _KEY_WITHIN.search(within):
        return None
    kids = []
    for part in _at_commas(within[:-1]):
        inner = inline(part, line, depth + 1)
        key, sign, value = part.partition(":")
        kids.append(inner or (keyed((key.strip(" \"'"),), value, line) if sign else statement(part, line)))
    return Statement(statement(before, line).words, line, [kid for kid in kids if kid.words or kid.kids])


def _at_commas(text: str) -> Iterator[str]:
    """Parted at the commas that stand in no brackets or quotes."""
    begin, deep, quoted = 0, 0, False
    for at, sign in enumerate(text):
        if sign == '"':
            quoted = not quoted
        elif not quoted and sign in "{[":
            deep += 1
        elif not quoted and sign in "}]":
            deep -= 1
        elif sign == "," and not quoted and deep <= 0:
            yield text[begin:at]
            begin = at + 1
    yield text[begin:]


def with_pairs(text: str, line: int) -> Statement:
    """A line of several `key=value`: each a statement within."""
    pairs = list(_PAIR.finditer(text))
    found = [(m[1], next(v for v in m.groups()[1:] if v is not None)) for m in pairs]
    if len(found) < len(("a=1", "b=2")):
        one = _COLON.match(text)
        return (
            keyed(statement(one[1], line).words, text[one.end() :], line) if one is not None else statement(text, line)
        )
    before = text[: pairs[0].start()]
    gaps = [text[m.end() : n.start()] for m, n in pairwise(pairs)] + [text[pairs[-1].end() :]]
    bare = [m[4] is not None and m[0][-1:] != ";" for m in pairs]
    shapes = [*(_BETWEEN for _ in pairs[1:]), _WORDS]
    goes_on = [plain and shape.fullmatch(gap) is not None for plain, shape, gap in zip(bare, shapes, gaps, strict=True)]
    kids = [
        keyed((key,), value + gap if more else value, line)
        for (key, value), gap, more in zip(found, gaps, goes_on, strict=True)
    ]
    after = " ".join(gap for gap, more in zip(gaps, goes_on, strict=True) if not more).strip(" ,;()")
    return Statement(statement(before, line).words, line, [*kids, *([statement(after, line)] if after else [])])


_COLON = re.compile(r"([A-Za-z][\w/.#()-]{0,40}(?: [\w/.#()-]{1,40}){0,5}) {0,40}(?::=|=|:|\.{2,80}) +(?=\S)")


def stated(text: str, line: int) -> Statement:
    """A statement, with how many of its words are its key where a sign tells: `remote address: 192.0.2.1`."""
    one = _COLON.match(text)
    return keyed(statement(one[1], line).words, text[one.end() :], line) if one is not None else statement(text, line)


_WORDS = re.compile(r"(?: [A-Za-z][\w-]{0,30}){1,3} ?")
"""What the last value of a line goes on with, where it has no quotes."""
_BETWEEN = re.compile(r",?(?: [\w(][\w(),%-]{0,30}){1,8} ?")
"""What another one goes on with, before the next key."""
_PAIR = re.compile(
    r"(?<![^\s(,])([A-Za-z][\w.-]*)="
    r"(?:\"([^\"\n]*)\"|\[([^\[\]\n]*)\]|([^\s\";()\[\]]+(?:,? (?:\d[^\s=;]*|hours?|minutes?|seconds?|min|sec)(?![^\s=]*=))*));?"
)


def _parted(token: str) -> list[str]:
    """`key=value` and `key:` are two and one; a colon inside an address, a service or a time stays."""
    if _SIGN.fullmatch(token):
        return []
    if token[-1:] == "." and token.strip("."):
        token = token.rstrip(".")
    if token[-1:] == ":" and len(token) > 1 and not re.fullmatch(r"[0-9a-fA-F:]+::", token):
        return [token[:-1]]
    key, sign, value = token.partition("=")
    if sign and key and not re.fullmatch(r"[-=<>!]+", token):
        return [key, *([value] if value else [])]
    return [token]


def keyed(key: tuple[str, ...], value: str, line: int) -> Statement:
    """A key's words and a value with any signs."""
    rest = statement(value, line)
    return Statement((*key, *rest.words), line, quoted=frozenset(n + len(key) for n in rest.quoted), key=len(key))
