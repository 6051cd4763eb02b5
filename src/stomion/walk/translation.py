"""Address translation at a gateway: the first rule that matches decides, and an exemption is a rule like any other."""

from __future__ import annotations

from dataclasses import replace

from stomion.model.tables import DESTINATION_TO, MASQUERADE, SOURCE_TO, Rule, Tables
from stomion.space.boxes import DESTINATION, SOURCE, address_number, address_text
from stomion.walk.chains import Setting, Verdict, through
from stomion.walk.passage import Fate, Passage, Step
from stomion.walk.routing import Way


def translated(
    tables: Tables, passages: list[Passage], hook: str, setting: Setting, way: Way | None = None
) -> list[Passage]:
    """The first rule of the translation chains that matches decides; an exemption ends it like any other verdict."""
    for chain in tables.base(hook, "nat"):
        following: list[Passage] = []
        for passage in passages:
            if passage.fate is not Fate.CARRIED or passage.piece.fixed:
                following.append(passage)
                continue
            for verdict in through(chain, [passage.piece], setting, tables):
                following.append(_translation(tables, replace(passage, setting=setting), verdict, way))
        passages = following
    return passages


def _translation(tables: Tables, passage: Passage, verdict: Verdict, way: Way | None) -> Passage:
    rule = verdict.rule
    passage = replace(passage, piece=verdict.piece)
    if rule is None:
        return passage
    if verdict.doubt:
        says = f"{rule.label} in {verdict.chain.name} is not understood: {verdict.doubt}"
        return passage.after(
            Step("translate", says, rule.where, rule), fate=Fate.UNCERTAIN, rule=rule, chain=verdict.chain, says=says
        )
    axis, value = _to(tables, rule, way)
    if value is None:
        return passage.after(Step("translate", f"{rule.label} leaves it as it is", rule.where, rule))
    word = "source" if axis == SOURCE else "destination"
    says = f"{rule.label} makes its {word} {address_text(value)}"
    return passage.after(
        Step("translate", says, rule.where, rule, sets=(axis, value)),
        piece=passage.piece.with_axis(axis, value),
        rule=rule,
        chain=verdict.chain,
        says=says,
    )


def _to(tables: Tables, rule: Rule, way: Way | None) -> tuple[int, int | None]:
    """(axis, new address) of a translation; None where the rule translates nothing."""
    if rule.action in (SOURCE_TO, DESTINATION_TO):
        try:
            return (SOURCE if rule.action == SOURCE_TO else DESTINATION), address_number(rule.to)
        except ValueError:
            return SOURCE, None
    if rule.action == MASQUERADE:
        return SOURCE, _own_address(tables, way)
    return SOURCE, None


def _own_address(tables: Tables, way: Way | None) -> int:
    """The address that stands for the gateway on its way out: that of the interface, else its first one outside a LAN."""
    found = tables.addresses.get(way.dev, []) if way is not None else []
    if found:
        return found[0][0]
    fallback = [own for dev, rows in tables.addresses.items() if dev != "lo" for own, _ in rows]
    return fallback[0] if fallback else 0
