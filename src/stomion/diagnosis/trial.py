"""A change of a table tried in the picture: what would become of which packets, before against after. Evidence is never touched."""

from __future__ import annotations

from dataclasses import dataclass, replace

from stomion.algebra.boxes import Region
from stomion.diagnosis.flows import Flows, flows_of
from stomion.exchange.picture import End, Picture
from stomion.model.tables import Chain, Tables
from stomion.walk.passage import Fate


@dataclass(frozen=True, slots=True)
class Change:
    """One step at one gateway, in words for whoever carries it out."""

    site: str
    words: str


@dataclass(frozen=True, slots=True)
class Difference:
    """Packets of one direction whose fate a change turns into another."""

    from_left: bool
    before: Fate
    after: Fate
    region: Region


def moved(tables: Tables, chain: str, number: int, step: int) -> tuple[Tables, str] | None:
    """The rule with this number one place up (-1) or down (1); None where it can't go there."""
    found = tables.chains.get(chain)
    if found is None:
        return None
    at = next((i for i, r in enumerate(found.rules) if r.number == number), -1)
    to = at + step
    if at < 0 or not 0 <= to < len(found.rules) or found.rules[to].number == 0:
        return None
    rules = list(found.rules)
    rule = rules.pop(at)
    rules.insert(to, rule)
    other = found.rules[to]
    word = "above" if step < 0 else "below"
    return _with_chain(tables, replace(found, rules=tuple(rules))), f"in {chain} move {rule.label} {word} {other.label}"


def without(tables: Tables, chain: str, number: int) -> tuple[Tables, str] | None:
    """The table with one rule switched off."""
    found = tables.chains.get(chain)
    rule = next((r for r in found.rules if r.number == number), None) if found else None
    if found is None or rule is None:
        return None
    rest = tuple(r for r in found.rules if r is not rule)
    return _with_chain(tables, replace(found, rules=rest)), f"in {chain} switch {rule.label} off"


def _with_chain(tables: Tables, chain: Chain) -> Tables:
    return replace(tables, chains={**tables.chains, chain.name: chain})


def with_tables(picture: Picture, end: End, tables: Tables) -> Picture:
    """The same tunnel with another table at one end."""
    fresh = replace(end, tables=tables)
    return replace(picture, left=fresh) if end is picture.left else replace(picture, right=fresh)


def differences(before: Picture, after: Picture) -> list[Difference]:
    """All packets whose fate differs, by direction and fate; the largest sets first."""
    first, second = flows_of(before), flows_of(after)
    if first is None or second is None:
        return []
    return sorted(_differences(first, second), key=lambda d: -d.region.size())


def _differences(first: Flows, second: Flows) -> list[Difference]:
    found: dict[tuple[bool, Fate, Fate], Region] = {}
    for index, (old, new) in enumerate(zip(first.shares, second.shares, strict=True)):
        for a in old:
            for b in new:
                shared = a.region & b.region if a.fate is not b.fate else Region()
                if shared:
                    key = (index == 0, a.fate, b.fate)
                    found[key] = found.get(key, Region()) | shared
    return [Difference(*key, region.merged()) for key, region in found.items()]
