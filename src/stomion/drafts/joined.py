"""What a configuration says of one tunnel in several places, put together: blocks that it speaks of by name, and what names the tunnel."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence

from stomion.drafts import words as w
from stomion.drafts.algorithms import kind_of, phase_of
from stomion.drafts.kinds import kind_word
from stomion.drafts.things import Thing
from stomion.shapes.statement import Statement

DEEP = 3
"""Blocks that speak of blocks."""
SHARED = 10
"""Times that every line of a text may be put in place of a name, on the average; blocks of blocks could double without end."""
MOST_NAMES = 100
"""Blocks that one line may speak of."""
FEW = 2_000
"""Statements that a short text may put in place of names."""
_NAMED = frozenset({"block", "system"})
_OWNED = frozenset({"block", "proposal", "network", "network-group", "service", "interface"})


def joined(things: Sequence[Thing], taken: Collection[str]) -> list[Thing]:
    """The tunnels with all that is said of them; `taken` are names that mean something else."""
    tunnels = [thing for thing in things if thing.kind == "tunnel"]
    names = {thing.name for thing in tunnels if thing.name}
    named = {t.name: t for t in things if t.kind in _NAMED and _is_name(t.name) and t.name not in taken and any(t.body)}
    joining = _Joining(named, FEW + SHARED * len(set().union(*(_lines(thing.body) for thing in things))))
    owned = _owned(things, names)
    return [
        Thing(t.kind, t.name, joining.body(t.body, frozenset({t.name})) + owned.get(t.name, []), t.line, t.label)
        for t in tunnels
    ]


def _offers(block: Thing) -> bool:
    return any(kind_of(statement.words) == "encryption" for statement in block.body)


def _lines(body: Sequence[Statement]) -> set[int]:
    return {statement.line for statement in body}.union(*(_lines(statement.kids) for statement in body))


def _size(body: Sequence[Statement]) -> int:
    return sum(1 + _size(statement.kids) for statement in body)


def _is_name(word: str) -> bool:
    """Can it be a name, and no word that means something?"""
    return bool(word) and word.lower() not in w.VOCABULARY and not w.is_value(word)


class _Joining:
    """Puts blocks in place of their names, `most` statements at the most."""

    def __init__(self, named: Mapping[str, Thing], most: int) -> None:
        self.named = named
        self.sizes = {name: 1 + _size(thing.body) for name, thing in named.items()}
        self.left = most

    def body(self, body: Sequence[Statement], seen: frozenset[str]) -> list[Statement]:
        return [self._one(statement, seen) for statement in body]

    def _one(self, statement: Statement, seen: frozenset[str]) -> Statement:
        if statement.kids:
            return Statement(statement.words, statement.line, self.body(statement.kids, seen), statement.quoted)
        parts: list[Statement] = []
        rest = statement
        while rest.words:
            place = next((n for n, word in enumerate(rest.words) if n and word in self.named), 0)
            found = self._put(rest.words, place, rest.line, seen) if place and len(parts) < MOST_NAMES else None
            if found is None:
                parts.append(Statement(rest.words, rest.line, quoted=rest.quoted))
                break
            parts.append(found)
            behind = rest.words[place + 1 :]
            if all(word in self.named for word in behind):
                # Several names behind one key.
                rest = Statement((*rest.words[:place], *behind) if behind else (), rest.line)
            else:
                # What stands behind the name on the same line is said of the tunnel itself.
                rest = rest.after(place + 1)
        return parts[0] if len(parts) == 1 else Statement((), statement.line, parts)

    def _put(self, words: Sequence[str], place: int, line: int, seen: frozenset[str]) -> Statement | None:
        """The block that a word names in its place; None where it may not be put there."""
        other = self.named[words[place]]
        if other.name in seen or len(seen) > DEEP or self.left < self.sizes[other.name]:
            return None
        self.left -= self.sizes[other.name]
        head = tuple(words[:place])
        if phase_of(head) is None and phase_of((other.name,)) is not None and _offers(other):
            # `apply ike-set-1`: the name alone tells the phase.
            head = (*head, other.name)
        elif phase_of(head) is None and phase_of((other.label,)) is not None:
            head = (*head, other.label)
        return Statement(head, line, self.body(other.body, seen | {other.name}))


def _owned(things: Sequence[Thing], names: Collection[str]) -> dict[str, list[Statement]]:
    """What names the tunnel that it belongs to: `tunnel NAME` in a block, or in a table's row, of something else."""
    out: dict[str, list[Statement]] = {}
    for thing in things:
        if thing.kind not in _OWNED:
            continue
        if thing.kind == "proposal" and thing.name in names and not thing.name.isdecimal():
            out.setdefault(thing.name, []).append(Statement((thing.label,), thing.line, thing.body))
            continue
        for statement in thing.body:
            words = statement.words
            if (
                len(words) > 1
                and words[-1] in names
                and (kind_word(words[0]) == "tunnel" or w.bag(words[:1]) & _TUNNEL)
            ):
                rest = [one for one in thing.body if one is not statement]
                side = next((one.words[1] for one in rest if len(one.words) > 1 and one.words[0].lower() in _SIDE), "")
                head = (*thing.label.split(), *([side] if side else []))
                out.setdefault(words[-1], []).append(Statement(head, thing.line, rest))
                break
    return out


_SIDE = frozenset({"side", "end", "direction"})
_TUNNEL = next(known for kind, known in w.KINDS if kind == "tunnel") | {"connections"}
