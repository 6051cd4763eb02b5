"""Pieces through the chains of a hook, rule by rule: every piece of what goes in comes out with one verdict."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import msgspec
from msgspec.structs import replace

from stomion.model.box import Box
from stomion.model.tables import Action, Chain, Hook, Rule, State, Tables
from stomion.space.boxes import MAX_BOXES, TooMany
from stomion.walk.index import near
from stomion.walk.pieces import Piece
from stomion.walk.shelf import Shelf

MAX_DEPTH = 16
"""Jumps within jumps; the operating system's own limit."""
MAX_CHAINS = 500
"""Chains of a hook that are listed; each is entered once, so that a ring of jumps ends."""


class Setting(msgspec.Struct, frozen=True):
    """What rules may ask of a packet besides its header, at one point of its way."""

    in_dev: str = ""
    out_dev: str = ""
    in_zone: str = ""
    out_zone: str = ""
    state: State = State.NEW


class Verdict(msgspec.Struct, frozen=True):
    """What became of a piece in a chain: the action, and the rule that decided, or None for the chain's policy."""

    piece: Piece
    action: Action
    rule: Rule | None
    chain: Chain
    doubt: str = ""


def may_match(rule: Rule, setting: Setting) -> bool:
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
    passing = _Passing(setting, tables)
    left = passing.chain(chain, list(pieces), 0)
    passing.decided.extend(Verdict(piece, chain.policy, None, chain) for piece in left)
    return passing.decided


def _rule_boxes(rule: Rule) -> tuple[Box, ...]:
    return rule.boxes


class _Passing:
    """One passage through the chains of a hook: the verdicts as they fall."""

    def __init__(self, setting: Setting, tables: Tables) -> None:
        self.setting, self.tables = setting, tables
        self.decided: list[Verdict] = []

    def chain(self, chain: Chain, pieces: list[Piece], depth: int) -> list[Piece]:
        """Go through a chain; what no rule decides comes back, and so does what a rule sent back to the caller."""
        returned: list[Piece] = []
        shelf = Shelf(pieces)
        for rule in near(self.tables, chain.name, chain.rules, _rule_boxes, pieces):
            if not len(shelf):
                break
            hit = shelf.matched(rule) if may_match(rule, self.setting) else []
            if not hit:
                continue
            if rule.action is Action.RETURN and not rule.doubt:
                if depth:
                    returned.extend(hit)
                else:
                    # In a base chain there is nowhere to return to: the chain's policy decides (nft(8)).
                    self.decided.extend(Verdict(piece, chain.policy, rule, chain) for piece in hit)
            elif rule.action is Action.GOTO and not rule.doubt:
                returned.extend(self._jump(rule, chain, hit, depth))
            else:
                shelf.add(self._act(rule, chain, hit, depth))
            if len(shelf) + len(self.decided) > MAX_BOXES:
                raise TooMany
        return [*shelf.pieces(), *returned]

    def _act(self, rule: Rule, chain: Chain, hit: list[Piece], depth: int) -> list[Piece]:
        """Carry a rule out on what it matches; pieces that go on in this chain come back."""
        if rule.doubt:
            self.decided.extend(Verdict(piece, Action.CONTINUE, rule, chain, rule.doubt) for piece in hit)
            return []
        if rule.action is Action.JUMP:
            return self._jump(rule, chain, hit, depth)
        if rule.action is Action.CONTINUE:
            return hit
        if rule.action is Action.MARK:
            return [replace(piece, mark=int(rule.to or 0)) for piece in hit]
        self.decided.extend(Verdict(piece, rule.action, rule, chain) for piece in hit)
        return []

    def _jump(self, rule: Rule, chain: Chain, hit: list[Piece], depth: int) -> list[Piece]:
        """Through another chain; what it does not decide comes back."""
        target = self.tables.chains.get(rule.to)
        if target is None or depth >= MAX_DEPTH:
            why = f"chain {rule.to} is not in the table" if target is None else "jumps nested too deeply"
            self.decided.extend(Verdict(piece, Action.CONTINUE, rule, chain, why) for piece in hit)
            return []
        return self.chain(target, hit, depth + 1)


def blocked(action: Action) -> bool:
    """Does this action end a packet's way?"""
    return action in (Action.DROP, Action.REJECT)


def each_rule(tables: Tables, hooks: tuple[Hook, ...]) -> Iterator[tuple[Chain, Rule]]:
    """All rules of the base chains of some hooks, in the order in which packets meet them: those of a chain that is jumped to follow
    the jump."""
    seen: set[str] = set()
    met = sorted(
        (c for c in tables.chains.values() if c.hook in hooks),
        key=lambda c: (c.hook is not Hook.PREROUTING, c.priority),
    )
    for chain in met:
        yield from _each(tables, chain, seen)


def _each(tables: Tables, chain: Chain, seen: set[str]) -> Iterator[tuple[Chain, Rule]]:
    if chain.name in seen or len(seen) > MAX_CHAINS:
        return
    seen.add(chain.name)
    for rule in chain.rules:
        yield chain, rule
        if rule.action in (Action.JUMP, Action.GOTO) and rule.to in tables.chains:
            yield from _each(tables, tables.chains[rule.to], seen)


def chain_of(tables: Tables, rule: Rule) -> Chain | None:
    """The chain that holds a rule."""
    return max(chains_of(tables, rule), key=lambda c: len(c.rules), default=None)


def chains_of(tables: Tables, rule: Rule) -> list[Chain]:
    """All chains that hold it: an exemption of a sheet counts for both directions of translation."""
    return [c for c in tables.chains.values() if any(r is rule for r in c.rules)]
