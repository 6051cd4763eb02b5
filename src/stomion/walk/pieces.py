"""Pieces of a set of packets on their way: what they were at the start, and what translation made of them since."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

from stomion.algebra.boxes import MAX_BOXES, Box, Region, TooMany, meet, minus
from stomion.model.tables import (
    CONTINUE,
    DROP,
    GOTO,
    JUMP,
    MARK,
    NEW,
    RETURN,
    Chain,
    Rule,
    Tables,
)

MAX_DEPTH = 16
"""Jumps within jumps; the operating system's own limit."""


@dataclass(frozen=True, slots=True)
class Piece:
    """`box` is what the packets were at first; `fixed` holds the axes that translation has set to one value each."""

    box: Box
    fixed: tuple[tuple[int, int], ...] = ()
    mark: int = 0
    tag: int = 0
    """For whoever sends many pieces through at once: which one a part came from."""

    @property
    def now(self) -> Box:
        """What the packets are at present."""
        if not self.fixed:
            return self.box
        out = list(self.box)
        for axis, value in self.fixed:
            out[axis] = (value, value)
        return tuple(out)

    def cut(self, box: Box) -> Piece | None:
        """The part that is in a box now."""
        shared = meet(self.now, box)
        return self._from(shared) if shared is not None else None

    def without(self, box: Box) -> list[Piece]:
        """The parts that are not."""
        return [self._from(part) for part in minus(self.now, box)]

    def _from(self, now: Box) -> Piece:
        held = {axis for axis, _ in self.fixed}
        return replace(self, box=tuple(self.box[a] if a in held else now[a] for a in range(len(now))))

    def with_axis(self, axis: int, value: int) -> Piece:
        """Translated: one axis set to a value."""
        return replace(self, fixed=(*(f for f in self.fixed if f[0] != axis), (axis, value)))


@dataclass(frozen=True, slots=True)
class Setting:
    """What rules may ask of a packet besides its header, at one point of its way."""

    in_dev: str = ""
    out_dev: str = ""
    in_zone: str = ""
    out_zone: str = ""
    state: str = NEW


@dataclass(frozen=True, slots=True)
class Verdict:
    """What became of a piece in a chain: the action, and the rule that decided, or None for the chain's policy."""

    piece: Piece
    action: str
    rule: Rule | None
    chain: Chain
    doubt: str = ""


def _may_match(rule: Rule, setting: Setting) -> bool:
    """Do interface, zone and state allow the rule to match anything at this point?"""
    if rule.states and setting.state not in rule.states:
        return False
    return (
        rule.in_dev.fits(setting.in_dev)
        and rule.out_dev.fits(setting.out_dev)
        and rule.in_zone.fits(setting.in_zone)
        and rule.out_zone.fits(setting.out_zone)
    )


def through(chain: Chain, pieces: Iterable[Piece], setting: Setting, tables: Tables) -> list[Verdict]:
    """Every piece with its verdict; the pieces of the result are disjoint and cover what went in."""
    decided: list[Verdict] = []
    left = _run(chain, list(pieces), setting, tables, decided, 0)
    decided.extend(Verdict(piece, chain.policy, None, chain) for piece in left)
    return decided


def _run(
    chain: Chain, pieces: list[Piece], setting: Setting, tables: Tables, decided: list[Verdict], depth: int
) -> list[Piece]:
    """Go through the rules; what no rule decides comes back, and so does what a rule sent back to the caller."""
    returned: list[Piece] = []
    for rule in chain.rules:
        if not pieces:
            break
        if not _may_match(rule, setting):
            continue
        rest: list[Piece] = []
        hit: list[Piece] = []
        for piece in pieces if len(rule.boxes) != 1 else _near(pieces, rule.boxes[0], rest):
            if not any(_touches(piece.now, box) for box in rule.boxes):
                rest.append(piece)
                continue
            inside, outside = _split(piece, rule)
            hit.extend(inside)
            rest.extend(outside)
        if not hit:
            continue
        pieces = rest
        if hit and rule.action == RETURN and depth:
            returned.extend(hit)
        elif hit and rule.action == GOTO:
            returned.extend(_jump(rule, chain, hit, setting, tables, decided, depth))
        elif hit:
            pieces.extend(_act(rule, chain, hit, setting, tables, decided, depth))
        if len(pieces) + len(decided) > MAX_BOXES:
            raise TooMany
    return pieces + returned


def _near(pieces: list[Piece], box: Box, rest: list[Piece]) -> list[Piece]:
    """The pieces that may meet a box, by their sources and ports; the others go to `rest`. A rule touches few of many pieces:
    what is tested first, and without a call for each, decides how long a long list takes."""
    (low, high), _, _, _, (first, last) = box
    found = []
    for piece in pieces:
        now = piece.now
        port, source = now[4], now[0]
        if port[0] > last or port[1] < first or source[0] > high or source[1] < low:
            rest.append(piece)
        else:
            found.append(piece)
    return found


def _touches(a: Box, b: Box) -> bool:
    """Do two boxes share anything? Written out, as nearly all the time of a long rule list is spent here."""
    return (
        a[4][0] <= b[4][1] and b[4][0] <= a[4][1] and a[0][0] <= b[0][1] and b[0][0] <= a[0][1]
        and a[1][0] <= b[1][1] and b[1][0] <= a[1][1] and a[2][0] <= b[2][1] and b[2][0] <= a[2][1]
        and a[3][0] <= b[3][1] and b[3][0] <= a[3][1]
    )  # fmt: skip


def _split(piece: Piece, rule: Rule) -> tuple[list[Piece], list[Piece]]:
    """The parts of a piece that a rule matches, and those it does not."""
    if rule.marks and not any(low <= piece.mark <= high for low, high in rule.marks):
        return [], [piece]
    inside: list[Piece] = []
    outside = [piece]
    for box in rule.boxes:
        following: list[Piece] = []
        for part in outside:
            cut = part.cut(box)
            if cut is None:
                following.append(part)
            else:
                inside.append(cut)
                following.extend(part.without(box))
        outside = following
    return inside, outside


def _act(
    rule: Rule, chain: Chain, hit: list[Piece], setting: Setting, tables: Tables, decided: list[Verdict], depth: int
) -> list[Piece]:
    """Carry a rule out on what it matches; pieces that go on in this chain come back."""
    if rule.doubt:
        decided.extend(Verdict(piece, CONTINUE, rule, chain, rule.doubt) for piece in hit)
        return []
    if rule.action == JUMP:
        return _jump(rule, chain, hit, setting, tables, decided, depth)
    if rule.action == CONTINUE:
        return hit
    if rule.action == MARK:
        return [replace(piece, mark=int(rule.to or 0)) for piece in hit]
    decided.extend(Verdict(piece, rule.action, rule, chain) for piece in hit)
    return []


def _jump(
    rule: Rule, chain: Chain, hit: list[Piece], setting: Setting, tables: Tables, decided: list[Verdict], depth: int
) -> list[Piece]:
    """Through another chain; what it does not decide comes back."""
    target = tables.chains.get(rule.to)
    if target is None or depth >= MAX_DEPTH:
        why = f"chain {rule.to} is not in the table" if target is None else "jumps nested too deeply"
        decided.extend(Verdict(piece, CONTINUE, rule, chain, why) for piece in hit)
        return []
    return _run(target, hit, setting, tables, decided, depth + 1)


def region_of(pieces: Iterable[Piece]) -> Region:
    """What pieces were at first, as a set; they must be disjoint."""
    return Region(tuple(p.box for p in pieces))


def blocked(action: str) -> bool:
    """Does this action end a packet's way?"""
    return action in (DROP, "reject")


def each_rule(tables: Tables, hooks: tuple[str, ...]) -> Iterator[tuple[Chain, Rule]]:
    """All rules of the base chains of some hooks and of the chains they jump to, in their order."""
    seen: set[str] = set()
    waiting = [c for c in tables.chains.values() if c.hook in hooks]
    while waiting:
        chain = waiting.pop(0)
        if chain.name in seen:
            continue
        seen.add(chain.name)
        for rule in chain.rules:
            yield chain, rule
            if rule.action in (JUMP, GOTO) and rule.to in tables.chains:
                waiting.append(tables.chains[rule.to])
