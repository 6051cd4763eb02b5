"""Changes of one machine's tables: each returns other tables and says the step in words. Nothing is changed in place."""

from __future__ import annotations

from dataclasses import replace

from stomion.errors import UsageError
from stomion.model.tables import Action, Chain, ChainKind, Hook, Route, RoutingRule, Rule, Tables
from stomion.walk.chains import chain_of, chains_of
from stomion.whatif.typed import Typed

Edited = tuple[Tables, str]


def moved(tables: Tables, rule: Rule, step: int) -> Edited:
    """The rule one place up (-1) or down (1). Raises UsageError where it can't go there."""
    chain, at = _place(tables, rule)
    to = at + step
    if not 0 <= to < len(chain.rules) or chain.rules[to].number == 0 or rule.number == 0:
        raise UsageError("The rule can't go further.")
    other = chain.rules[to]
    for held in chains_of(tables, rule):
        if any(r is other for r in held.rules):
            rules = [r for r in held.rules if r is not rule]
            at = next(i for i, r in enumerate(rules) if r is other)
            rules.insert(at if step < 0 else at + 1, rule)
            tables = _with_rules(tables, held, rules)
    word = "above" if step < 0 else "below"
    return tables, f"in {chain.name} move {rule.label} {word} {other.label}"


def raised(tables: Tables, rule: Rule, above: Rule) -> Edited:
    """The rule further up, right above another one of its chain. Raises UsageError where it does not stand below that."""
    chain, at = _place(tables, rule)
    to = next((i for i, r in enumerate(chain.rules) if r is above), at)
    if to >= at:
        raise UsageError("The rule does not stand below that one.")
    rest = [r for r in chain.rules if r is not rule]
    return _with_rules(tables, chain, [*rest[:to], rule, *rest[to:]]), (
        f"in {chain.name} move {rule.label} above {above.label}"
    )


def without(tables: Tables, rule: Rule) -> Edited:
    """The tables with one rule switched off. Raises UsageError where it is not among them."""
    chain, _ = _place(tables, rule)
    for held in chains_of(tables, rule):
        tables = _with_rules(tables, held, [r for r in held.rules if r is not rule])
    return tables, f"in {chain.name} switch {rule.label} off"


def without_route(tables: Tables, route: Route) -> Edited:
    """The tables without a route. Raises UsageError where it is not among them."""
    if not any(r is route for r in tables.routes):
        raise UsageError("This route is not among the tables.")
    return replace(
        tables, routes=tuple(r for r in tables.routes if r is not route)
    ), f"take the route {route.text} away"


def without_routing_rule(tables: Tables, rule: RoutingRule) -> Edited:
    """The tables without a rule of policy routing. Raises UsageError where it is not among them."""
    if not any(r is rule for r in tables.routing_rules):
        raise UsageError("This routing rule is not among the tables.")
    return replace(
        tables, routing_rules=tuple(r for r in tables.routing_rules if r is not rule)
    ), f"take {rule.label} away"


def added(tables: Tables, typed: Typed, before: Rule | None = None, *, last: bool = False) -> Edited:
    """The tables with what was typed: a rule stands above `before` where that is of its kind, else above all of its chain, or below all
    (`last`)."""
    if typed.forwarding is not None:
        return replace(
            tables, forwarding=typed.forwarding, forwarding_v6=typed.forwarding
        ), f"switch forwarding {'on' if typed.forwarding else 'off'}"
    if typed.route is not None:
        return replace(tables, routes=(*tables.routes, typed.route)), f"add {typed.text}"
    assert typed.rule is not None
    chain = _chain_for(tables, typed, before)
    at = next((i for i, r in enumerate(chain.rules) if r is before), None)
    if at is None or before is None or before.number == 0:
        top = next((i for i, r in enumerate(chain.rules) if r.number != 0), len(chain.rules))
        at = len(chain.rules) if last else top
    rule = replace(typed.rule, number=_fresh(tables), text=typed.text)
    rules = [*chain.rules[:at], rule, *chain.rules[at:]]
    place = f" above {chain.rules[at].label}" if at < len(chain.rules) else " at its end" if last else ""
    return _with_rules(tables, chain, rules), f"in {chain.name} add{place}: {typed.text}"


def changed(tables: Tables, rule: Rule, typed: Typed) -> Edited:
    """A rule with other packets or another action; its zones, states and marks stay. Raises UsageError for another kind of line."""
    chain, _ = _place(tables, rule)
    if typed.rule is None or typed.kind is not chain.kind:
        raise UsageError("a filter rule can only be changed into a filter rule, a translation only into a translation")
    new = replace(
        typed.rule, number=rule.number, name=typed.rule.name or rule.name, where=rule.where, in_zone=rule.in_zone, out_zone=rule.out_zone,
        states=rule.states, marks=rule.marks, text=typed.text,
    )  # fmt: skip
    for held in chains_of(tables, rule):
        tables = _with_rules(tables, held, [new if r is rule else r for r in held.rules])
    return tables, f"in {chain.name} change {rule.label} to: {typed.text}"


def changed_route(tables: Tables, route: Route, typed: Typed) -> Edited:
    """Another route in the place of one. Raises UsageError where something else was typed."""
    if typed.route is None:
        raise UsageError("a route can only become another route: route PREFIX via ADDRESS dev NAME")
    routes = tuple(typed.route if r is route else r for r in tables.routes)
    return replace(tables, routes=routes), f"change the route {route.text} to: {typed.text}"


def _place(tables: Tables, rule: Rule) -> tuple[Chain, int]:
    chain = chain_of(tables, rule)
    if chain is None:
        raise UsageError("This rule is not among the tables.")
    return chain, next(i for i, r in enumerate(chain.rules) if r is rule)


def _chain_for(tables: Tables, typed: Typed, before: Rule | None) -> Chain:
    """The chain under the cursor where it is of the kind; else the first of its hook; else a new one that lets all else pass."""
    here = chain_of(tables, before) if before is not None else None
    assert typed.rule is not None
    assert typed.kind is not None
    nat = typed.kind is ChainKind.NAT
    hook = Hook.INPUT if tables.host and not nat else _hook(typed)
    if here is not None and here.kind is typed.kind and (not nat or here.hook in (None, hook)):
        return here
    known = tables.base(hook, typed.kind)
    return known[0] if known else Chain(f"new {typed.kind.value}", (), typed.kind, hook)


def _hook(typed: Typed) -> Hook:
    assert typed.rule is not None
    if typed.kind is not ChainKind.NAT:
        return Hook.FORWARD
    return Hook.PREROUTING if typed.rule.action is Action.DESTINATION_TO else Hook.POSTROUTING


def _fresh(tables: Tables) -> int:
    """A number that no rule has; negative, as the rule is in no table yet."""
    return min([0, *(r.number for c in tables.chains.values() for r in c.rules)]) - 1


def _with_rules(tables: Tables, chain: Chain, rules: list[Rule]) -> Tables:
    return replace(tables, chains={**tables.chains, chain.name: replace(chain, rules=tuple(rules))})
