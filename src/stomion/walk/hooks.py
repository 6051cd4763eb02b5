"""The base chains of a hook, filters and translations alike, in the order of their priorities.

An accept ends a chain and not the hook: the next chain is asked too. A translation chain is asked for a connection's first packet
alone, and once one of them has set an address the later ones of the same hook are not asked (as connection tracking does it).
"""

from __future__ import annotations

from msgspec.structs import replace

from stomion.model.tables import Action, Chain, ChainKind, Hook, Rule, State, Tables
from stomion.space.axis import V4_ALL, V6_ALL, address_number, is_v6
from stomion.space.boxes import DESTINATION, SOURCE, V4, V6, on_axis
from stomion.walk.chains import Setting, Verdict, blocked, through
from stomion.walk.passage import Decision, Fate, Passage, Reason, Step
from stomion.walk.pieces import Piece, divided
from stomion.walk.routing import Way

_AXIS = {Hook.PREROUTING: DESTINATION, Hook.OUTPUT: DESTINATION, Hook.POSTROUTING: SOURCE, Hook.INPUT: SOURCE}
"""The address that translation chains of a hook set."""


def at_hook(
    tables: Tables, passages: list[Passage], hook: Hook, setting: Setting, way: Way | None = None
) -> list[Passage]:
    """Every passage that is still on its way taken through all chains of a hook; `way` is its route, where it is known by then."""
    for chain in tables.base(hook):
        if chain.kind is ChainKind.NAT:
            passages = _translations(tables, passages, chain, setting, way)
        else:
            passages = _filters(tables, passages, chain, setting)
    return passages


def _filters(tables: Tables, passages: list[Passage], chain: Chain, setting: Setting) -> list[Passage]:
    out = [p for p in passages if p.fate is not Fate.CARRIED]
    # Each piece carries its place, so that the chain is gone through once for all of them.
    pieces = [replace(p.piece, tag=i) for i, p in enumerate(passages) if p.fate is Fate.CARRIED]
    out += [_filtered(passages[v.piece.tag], v, setting) for v in through(chain, pieces, setting, tables)]
    return out


def _filtered(passage: Passage, verdict: Verdict, setting: Setting) -> Passage:
    rule, chain = verdict.rule, verdict.chain
    where = rule.where if rule else chain.where
    passage = replace(passage, piece=verdict.piece, setting=setting)
    if verdict.doubt:
        step = Step(Decision.FILTER, Reason.FILTER_UNCLEAR, where, rule, chain, note=verdict.doubt)
        return passage.ends(step, Fate.UNCERTAIN)
    if blocked(verdict.action):
        reason = Reason.REJECTS if verdict.action is Action.REJECT else Reason.DROPS
        return passage.ends(Step(Decision.FILTER, reason, where, rule, chain), Fate.DROPPED)
    if rule is None and not chain.rules:
        return passage
    return passage.after(Step(Decision.FILTER, Reason.PASSES, where, rule, chain))


def _translations(
    tables: Tables, passages: list[Passage], chain: Chain, setting: Setting, way: Way | None
) -> list[Passage]:
    if setting.state is not State.NEW:
        # Only the first packet of a connection is asked about; later ones and answers follow its mapping (RFC 5382 4).
        return passages
    axis = _AXIS.get(chain.hook) if chain.hook is not None else None
    out: list[Passage] = []
    for passage in passages:
        if passage.fate is not Fate.CARRIED or (axis is not None and _set_here(passage, axis)):
            out.append(passage)
            continue
        for piece in _by_family(passage.piece):
            for verdict in through(chain, [piece], setting, tables):
                out.extend(_translated(tables, replace(passage, setting=setting), verdict, way))
    return out


def _set_here(passage: Passage, axis: int) -> bool:
    """Has a translation of this gateway set an address already? What another gateway did before is no matter here."""
    return any(step.sets is not None and step.sets[0] == axis for step in passage.steps)


def _by_family(piece: Piece) -> list[Piece]:
    """A piece whose addresses are of both families, cut in two: each family has an address of its own to become."""
    if all(is_v6(low) == is_v6(high) for low, high in piece.now[:2]):
        return [piece]
    v4, rest = divided((piece,), (V4,))
    v6, mixed = divided(rest, (V6,))
    return [*v4, *v6, *mixed]


def _translated(tables: Tables, passage: Passage, verdict: Verdict, way: Way | None) -> list[Passage]:
    rule, chain = verdict.rule, verdict.chain
    passage = replace(passage, piece=verdict.piece)
    if rule is None:
        return [passage]
    if verdict.doubt:
        return [_unclear(passage, rule, chain, verdict.doubt)]
    if blocked(verdict.action):
        return [
            passage.ends(Step(Decision.TRANSLATION, Reason.TRANSLATION_DROPS, rule.where, rule, chain), Fate.DROPPED)
        ]
    if verdict.action not in (Action.SOURCE_TO, Action.DESTINATION_TO, Action.MASQUERADE):
        return [passage.after(Step(Decision.TRANSLATION, Reason.EXEMPT, rule.where, rule, chain))]
    axis = DESTINATION if verdict.action is Action.DESTINATION_TO else SOURCE
    v6 = is_v6(passage.piece.now[DESTINATION][0])
    if verdict.action is Action.MASQUERADE:
        value = own_address(tables, way, v6)
    else:
        try:
            value = address_number(rule.to)
        except ValueError:
            return [_unclear(passage, rule, chain, f"{rule.to[:40]!r} is no address to translate to")]
        if is_v6(value) != v6:
            return [_unclear(passage, rule, chain, f"{rule.to} is of another address family")]
    step = Step(Decision.TRANSLATION, Reason.TRANSLATED, rule.where, rule, chain, sets=(axis, value))
    parts = _those_that_have_it(passage.piece, axis, value)
    return [passage.after(step, piece=part.with_axis(axis, value), decided=step) for part in parts]


def _those_that_have_it(piece: Piece, axis: int, value: int) -> list[Piece]:
    """Packets that have the new address already stay what they are: they are a piece of their own."""
    low, high = piece.now[axis]
    if low == high or not low <= value <= high:
        return [piece]
    same, others = divided((piece,), (on_axis(axis, (value, value)),))
    return [*same, *others]


def _unclear(passage: Passage, rule: Rule, chain: Chain, note: str) -> Passage:
    step = Step(Decision.TRANSLATION, Reason.TRANSLATION_UNCLEAR, rule.where, rule, chain, note=note)
    return passage.ends(step, Fate.UNCERTAIN)


def own_address(tables: Tables, way: Way | None, v6: bool) -> int:
    """The address that stands for the gateway when it masquerades: that of the outgoing interface whose network holds the next hop, else
    the interface's first one, else the first one of another interface, all of the packet's family.

    Where no address at all is known, the unspecified one stands for it: it is nobody's, and in no selectors but "any".
    """
    others = [row for dev, rows in tables.addresses.items() if dev != "lo" for row in rows if is_v6(row[0]) == v6]
    mine = [row for row in tables.addresses.get(way.dev, []) if is_v6(row[0]) == v6] if way is not None else []
    try:
        hop = address_number(way.via) if way is not None and way.via else -1
    except ValueError:
        hop = -1
    near = [own for own, (low, high) in mine if low <= hop <= high]
    return next(iter([*near, *(own for own, _ in (*mine, *others)), (V6_ALL if v6 else V4_ALL)[0]]))
