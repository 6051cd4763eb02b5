"""Beside every value of a draft, the lines of the text that it was taken from. A value that no line gives has its table's line alone."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from itertools import islice

from stomion.drafts import words as w
from stomion.drafts.algorithms import combination, kind_of, lifetime_of, values_of
from stomion.drafts.things import Thing
from stomion.shapes.statement import Statement
from stomion.vocabulary.durations import seconds_of

_TABLE = re.compile(r"\[\[(\w+)(?:\.(\w+))?\]\]$")
_KEY = re.compile(r"\w+ = ")
_VERSION = re.compile(r"\b(?:ike[-_ ]?)?(?:v|version)[-_ ]?([12])\b|\bike[-_ ]?([12])\b", re.IGNORECASE)
_PROTOCOLS = ("IKE", "ESP")
_EVERYTHING = frozenset(("any", "all", "default", "anywhere", "everything", "*"))
DEEP = 2
"""Groups of groups whose members are looked at."""
MOST = 200
"""Groups of one thing's statements among which the lines of its values are looked for."""
Group = list[Statement]


def cited(sheet: str, things: Mapping[str, Sequence[Thing]], named: Mapping[str, Thing]) -> str:
    """A drafted sheet with its lines: `things` are what its tables were made of, by their names and in their order, `named` what these
    may speak of by name."""
    given = _Given()
    counts = dict.fromkeys(things, -1)
    out: list[str] = []
    here: Thing | None = None
    groups: list[Group] = []
    used: set[int] = set()
    for block in _blocks(sheet.split("\n")):
        head = _TABLE.match(block[0])
        if head and not head[2]:
            counts[head[1]] = counts.get(head[1], -1) + 1
            own = things.get(head[1], ())
            here = own[counts[head[1]]] if counts[head[1]] < len(own) else None
            groups = list(islice(_groups(here, named), MOST)) if here is not None else []
            used = set()
        if head is None or here is None:
            out += _with_site(block, things.get("site", ()))
            continue
        values = [_values(line) for line in block]
        best = _best(groups, values, given, used) if head[2] else []
        used |= {id(best)} if best else set()
        near = [best, *groups]
        out.append(f"{block[0]}  # line {here.line}" if not head[2] else block[0])
        out += [_noted(line, given.lines(found, near, here)) for line, found in zip(block[1:], values[1:], strict=True)]
    return "\n".join(out)


def _best(groups: Sequence[Group], values: Sequence[Sequence[str]], given: _Given, used: Collection[int]) -> Group:
    """The group that gives most of a table's values; of two that give as many, one that no table before was taken from."""
    return max(groups, key=lambda group: (given.count(values, group), id(group) not in used), default=[])


def _blocks(lines: Iterable[str]) -> Iterator[list[str]]:
    """Tables with their keys; what stands before the first is one too."""
    block: list[str] = []
    for line in lines:
        if _TABLE.match(line) and block:
            yield block
            block = []
        block.append(line)
    yield block


def _with_site(block: Sequence[str], systems: Sequence[Thing]) -> Iterator[str]:
    for line in block:
        values = _values(line) if line.startswith("site = ") else []
        yield _noted(line, sorted({t.line for t in systems if t.name in values} if values else ()))


def _values(line: str) -> list[str]:
    """The texts and numbers of a key's value, as they are looked for."""
    if not _KEY.match(line):
        return []
    ((key, held),) = tomllib.loads(line).items()
    if key == "ike":
        return [f"ike {held}"]
    todo: list[object] = [held]
    out: list[str] = []
    while todo:
        value = todo.pop()
        if isinstance(value, dict):
            todo += value.values()
        elif isinstance(value, list):
            todo += value
        else:
            out.append(str(value).lower())
    return out


def _groups(thing: Thing, named: Mapping[str, Thing]) -> Iterator[Group]:
    """Statements that belong together: each by itself, then those of one block, of the thing and of what it speaks of by name."""
    todo, seen = [(thing, 0)], {id(thing)}
    while todo:
        one, depth = todo.pop(0)
        for statement in one.body:
            yield from _of_statement(statement)
        yield [leaf for _, leaf in one.leaves()]
        spoken = {word for _, leaf in one.leaves() for word in leaf.words}
        for name in sorted(spoken & named.keys()):
            other = named[name]
            if depth < DEEP and id(other) not in seen:
                seen.add(id(other))
                todo.append((other, depth + 1))


def _of_statement(statement: Statement) -> Iterator[Group]:
    if not statement.kids:
        yield [statement]
        return
    for kid in statement.kids:
        yield from _of_statement(kid)
    yield [leaf for _, leaf in statement.leaves()]


class _Given:
    """What every statement gives, worked out once."""

    def __init__(self) -> None:
        self._known: dict[int, frozenset[str]] = {}

    def count(self, values: Sequence[Sequence[str]], group: Group) -> float:
        """How many of some values a group gives; of two that give as many the smaller one is more to the point."""
        found = frozenset[str]().union(*map(self._of, group))
        return sum(value in found for row in values for value in row) - len(group) / 1_000

    def lines(self, values: Sequence[str], groups: Sequence[Group], thing: Thing) -> list[int]:
        """The line of each value: in the first group that gives it, else where the thing is named so."""
        found = set()
        if len(values) > 1:
            # Values of one key mostly stand together, and a small number alone may stand anywhere.
            groups = [max(groups, key=lambda group: self.count([values], group), default=[]), *groups]
        for value in values:
            line = self._line(value, groups) or self._line(value.partition("/")[0], groups)
            found.add(line or (thing.line if value == thing.name.lower() else 0))
        return sorted(found - {0})

    def _line(self, value: str, groups: Sequence[Group]) -> int:
        return next((s.line for group in groups for s in group if value in self._of(s)), 0)

    def _of(self, statement: Statement) -> frozenset[str]:
        found = self._known.get(id(statement))
        if found is None:
            found = self._known[id(statement)] = frozenset(_given_by(statement))
        return found


def _given_by(statement: Statement) -> Iterator[str]:
    """Texts that a statement gives, in the sheet's own spelling."""
    words = statement.words
    for word, following in zip(words, [*words[1:], ""][: len(words)], strict=True):
        yield word.lower()
        if (version := _VERSION.search(f"{word} {following}")) is not None:
            yield f"ike {version[1] or version[2]}"
        mask = following if w.is_mask(following) else ""
        yield w.masked(word, following) or w.network_of(word)
        yield w.interface_address(word, mask)
        yield word.partition("/")[0].lower()
        yield f"{word}/32"
        if word.lower() in _EVERYTHING:
            yield "0.0.0.0/0"
        yield f"{word}-{following}"
    yield from _meant(words)
    if (life := lifetime_of(words)) is not None:
        yield str(life)
    for begin in range(min(3, len(words))):
        if (seconds := seconds_of(" ".join(words[begin:]))) is not None:
            yield str(seconds)
    yield from _algorithms(words)


_MEANT = (
    ("allow", w.ALLOW), ("drop", w.DROP), ("reject", w.REJECT), ("exempt", w.EXEMPT), ("masquerade", w.HIDE), ("psk", w.PSK),
    ("certificate", w.CERTIFICATE), ("always", w.ALWAYS), ("on-traffic", w.ON_TRAFFIC), ("never", w.NEVER), ("blackhole", w.HOLE),
)  # fmt: skip


def _meant(words: tuple[str, ...]) -> Iterator[str]:
    """What its words mean in a sheet."""
    said = w.bag(words)
    for name, known in _MEANT:
        if said & known:
            yield name
    if {"no", "not", "without"} & said and said & w.TRANSLATION:
        yield "exempt"


def _algorithms(words: tuple[str, ...]) -> Iterator[str]:
    kind = kind_of(words)
    for protocol in _PROTOCOLS:
        if kind and kind != "lifetime":
            yield from (str(value).lower() for value in values_of(kind, words[1:], protocol))
        try:
            whole = combination(list(words), protocol)
        except ValueError:
            continue
        if whole is not None:
            for name in ("encryption", "integrity", "prf", "group"):
                yield from (str(value).lower() for value in getattr(whole, name))
            yield str(whole.lifetime_s)


def _noted(line: str, lines: Sequence[int]) -> str:
    if not lines:
        return line
    return f"{line}  # line{'s' if len(lines) > 1 else ''} {', '.join(map(str, lines))}"
