"""A machine's filter and translation chains (`nft -j list ruleset`) to the common shape; one rule's expressions are read in nftables.py."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from stomion.errors import UnreadableInput
from stomion.ingest.nftables import chain_of, is_base, rule_of
from stomion.ingest.osrows import over_bound, text_of, within
from stomion.model.provenance import Provenance
from stomion.model.tables import Action, Chain, Entry, Rule, Tables
from stomion.space.boxes import V4, V6, meet


def with_ruleset(tables: Tables, data: Any, file: str) -> Tables:
    """The tables with a ruleset's chains, their rules in order; named sets are filled in where rules speak of them.

    Raises UnreadableInput where it is no ruleset.
    """
    rows = data.get("nftables") if isinstance(data, dict) else None
    if not isinstance(rows, list):
        raise UnreadableInput("no list of nftables objects")
    sets = {
        (text_of(o["set"], "table"), text_of(o["set"], "name")): o["set"].get("elem", [])
        for o in rows
        if isinstance(o, dict) and isinstance(o.get("set"), dict)
    }
    doubts = over_bound(len(rows))
    chains: dict[str, tuple[dict[str, Any], list[Rule]]] = {}
    for line, item in enumerate(within(rows), 1):
        if not isinstance(item, dict):
            continue
        if isinstance(item.get("chain"), dict):
            chains[_chain_name(item["chain"], text_of(item["chain"], "name"))] = (item["chain"], [])
        elif isinstance(item.get("rule"), dict):
            row = item["rule"]
            name = _chain_name(row, text_of(row, "chain"))
            if name in chains:
                where = Provenance(file, tables.site, record=line)
                chains[name][1].append(
                    rule_of(row, len(chains[name][1]) + 1, where, _named_sets(sets, text_of(row, "table")))
                )
    out = dict(tables.chains)
    came: list[Entry] = []
    gone: list[Entry] = []
    for name, (row, rules) in chains.items():
        scoped = _counted(tuple(_scoped(rule, row) for rule in rules), tables.chains.get(name))
        if name in tables.chains:
            came += _lacking(scoped, tables.chains[name].rules)
            gone += _lacking(tables.chains[name].rules, scoped)
        out[name] = chain_of(row, name, scoped, Provenance(file, tables.site)) if is_base(row) else Chain(name, scoped)
    return replace(
        tables, chains=out, doubts=(*tables.doubts, *doubts), came=(*tables.came, *came), gone=(*tables.gone, *gone)
    )


def _lacking(rules: tuple[Rule, ...], others: tuple[Rule, ...]) -> list[Entry]:
    """Rules that another reading of the chain has not; where only their places differ, none."""
    known = {_what_of(rule) for rule in others}
    return [Entry("rule", rule.label, rule.where) for rule in rules if _what_of(rule) not in known]


def _what_of(rule: Rule) -> tuple[object, ...]:
    """All of a rule but its place and its counts."""
    return (
        rule.action, rule.boxes, rule.in_dev, rule.out_dev, rule.in_zone, rule.out_zone, rule.states, rule.marks, rule.to,
    )  # fmt: skip


def _counted(rules: tuple[Rule, ...], before: Chain | None) -> tuple[Rule, ...]:
    """The rules of a chain that was read before, with how far their counts went in between; others as they are."""
    if before is None or [(r.action, r.boxes) for r in before.rules] != [(r.action, r.boxes) for r in rules]:
        return rules
    pairs = zip(before.rules, rules, strict=True)
    return tuple(
        replace(new, moved=abs(new.hits - old.hits), hits=max(new.hits, old.hits))
        if new.hits is not None and old.hits is not None
        else new
        for old, new in pairs
    )


def _named_sets(sets: dict[tuple[str, str], Any], table: str) -> Callable[[str], Any]:
    """Look a named set of a table up."""
    return lambda name: sets.get((table, name))


def _chain_name(row: dict[str, Any], name: str) -> str:
    """A chain's name is its own within family and table only."""
    return f"{text_of(row, 'family')} {text_of(row, 'table')} {name}"


def _scoped(rule: Rule, chain: dict[str, Any]) -> Rule:
    """A jump's target is in the same table; an `ip` table sees IPv4 only, an `ip6` table IPv6."""
    family = text_of(chain, "family")
    half = {"ip": V4, "ip6": V6}.get(family)
    boxes = rule.boxes if half is None else tuple(m for b in rule.boxes if (m := meet(b, half)) is not None)
    to = _chain_name(chain, rule.to) if rule.action in (Action.JUMP, Action.GOTO) else rule.to
    return replace(rule, boxes=boxes, to=to)
