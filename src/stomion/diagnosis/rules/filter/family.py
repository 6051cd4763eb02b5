"""Filters: why a packet that ought to pass is dropped, or one that ought to be blocked passes, for the rules that ask."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Certainty, Finding, Remedy
from stomion.model.tables import Action, Chain, Hook, Names, Rule, Tables
from stomion.space.boxes import DESTINATION, EVERY, SOURCE, Region, box_of, region
from stomion.tunnel.flows import Break, Flow, asked_text, breaks, covering, flow_text, flows_of, is_everything
from stomion.tunnel.picture import End
from stomion.walk.chains import blocked as ends_way
from stomion.walk.chains import each_rule, through
from stomion.walk.journey import Machine, between
from stomion.walk.passage import Fate
from stomion.walk.pieces import Piece

HOOKS = (Hook.FORWARD, Hook.PREROUTING)
_BLOCKING = re.compile(
    r"\b(no|not|none|never|nothing|block\w*|den(y|ies|ied)|drop\w*|reject\w*|refuse\w*|forbid\w*|stop\w*|keep|only|default|closed)\b"
)
_ALLOWING = ("allow", "permit", "accept", "let ", "pass")


@dataclass(frozen=True, slots=True)
class Blocked:
    """A dropped flow with its kind (a code), the rule that drops it, and the one that would have let it pass."""

    code: str
    found: Break
    other: Rule | None = None
    certainty: Certainty = Certainty.PROVEN


def filter_fault(context: Context, spec: Spec) -> Finding | None:
    """The finding of this rule: the first dropped flow that is its matter."""
    if context.cause is not None:
        return None
    for order, found in enumerate(breaks(context.picture)):
        if found.leg.fate is not Fate.DROPPED or found.flow is None or found.chain is None:
            continue
        blocked = _kind(context, found)
        if blocked.code == spec.code:
            return replace(_finding(context, spec, blocked), order=order)
    return None


def _kind(context: Context, found: Break) -> Blocked:
    assert found.flow is not None
    if found.leg.place is Machine.HOST:
        return Blocked("host-filter-blocks", found)
    rule, tables = found.rule, found.end.tables
    packet = Region((found.leg.box,))
    if rule is not None and tables is not None:
        _, below = covering(tables, found.leg, packet, HOOKS, (Action.ACCEPT,))
        shadowed = [r for r in below if not _is_exception(context, found, rule, r)]
        if shadowed:
            return Blocked("allow-shadowed", found, shadowed[0])
        if any(word in rule.name.lower() for word in _ALLOWING):
            return Blocked("wrong-action", found)
        if _pointless(tables, found, rule):
            return Blocked("wrong-action", found, certainty=Certainty.LIKELY)
    return Blocked("service-not-allowed" if _others_pass(context, found) else "filter-blocks", found)


def _pointless(tables: Tables, found: Break, rule: Rule) -> bool:
    """A named block that blocks nothing which would pass without it, and does not call itself a block: it was meant to let pass."""
    name = rule.name.lower().replace("_", " ")
    if not name or _BLOCKING.search(name) or is_everything(rule) or found.chain is None or found.leg.passage is None:
        return False
    at = next(i for i, r in enumerate(found.chain.rules) if r is rule)
    below = replace(found.chain, rules=found.chain.rules[at + 1 :])
    pieces = [Piece(box) for box in region(rule.boxes).boxes]
    return all(ends_way(v.action) for v in through(below, pieces, found.leg.passage.setting, tables))


def _is_exception(context: Context, found: Break, block: Rule, allow: Rule) -> bool:
    """A block of some services above an allow of more of them, for the same addresses, is meant so: it takes something out of what is
    allowed below."""
    flows = flows_of(context.picture)
    assert flows is not None
    lans = Region(tuple(between(*(flows.sides if found.from_left is not found.back else flows.sides[::-1]))))
    where = region(box_of(b[SOURCE], b[DESTINATION]) for b in allow.boxes)
    blocked, allowed = (region(r.boxes) & lans & where for r in (block, allow))
    return allowed.covers(blocked) and not blocked.covers(allowed)


def _others_pass(context: Context, found: Break) -> bool:
    """Does another service pass between the same two addresses, by the tests or by the tables?"""
    assert found.flow is not None
    flows = flows_of(context.picture)
    assert flows is not None
    mine = found.flow.test
    tests = [t for t in context.picture.tests if t.passed and t.from_left is mine.from_left and t.to == mine.to]
    seen = any(t.service != mine.service and t.source == mine.source for t in tests)
    box = found.flow.trip.there.box if found.flow.trip is not None else EVERY
    alike = Region((box_of(box[SOURCE], box[DESTINATION]),))
    shares = flows.shares[0 if mine.from_left else 1]
    return seen or any(s.fate is Fate.CARRIED and s.region & alike for s in shares)


def _finding(context: Context, spec: Spec, blocked: Blocked) -> Finding:
    found, other = blocked.found, blocked.other
    end, rule = found.end, found.rule
    assert found.flow is not None
    flow = flow_text(found.flow.test)
    deciding = rule.label if rule is not None else f"the end of {found.chain.name if found.chain else 'the filter'}"
    if blocked.code == "allow-shadowed":
        assert other is not None and rule is not None
        summary = f"At {end.title} {rule.label} drops {flow} before {other.label} can let it pass."
        remedy = f"move {other.label} above {rule.label}"
    elif blocked.code == "wrong-action":
        said = (
            "its name says that it lets it pass"
            if blocked.certainty is Certainty.PROVEN
            else "without it nothing more would pass"
        )
        summary = f"At {end.title} {deciding} matches {flow} and drops it, though {said}."
        remedy = f"correct the action of {deciding}"
    elif blocked.code == "host-filter-blocks":
        summary = f"The host behind {end.title} drops {flow} itself ({deciding})."
        remedy = "let the service pass in the host's own filter"
    elif blocked.code == "service-not-allowed":
        summary = f"At {end.title} {deciding} drops {flow}; other services pass."
        remedy = f"allow this service above {deciding}, if it is meant to pass"
    else:
        summary = f"At {end.title} {deciding} drops {flow}: no rule allows it."
        remedy = f"allow the traffic of this tunnel above {deciding}"
    facts: dict[str, object] = {"rule": deciding, "chain": found.chain.name if found.chain else "", "flow": flow}
    if other is not None:
        facts["allow"] = other.label
    if rule is not None and rule.hits is not None:
        facts["hits"] = rule.hits
    places = [
        rule.where if rule else (found.chain.where if found.chain else None),
        other.where if other else None,
        found.flow.test.where,
    ]
    return spec.finding(
        [end.site], blocked.certainty, summary, [Remedy(end.site, remedy)], places, facts, asked_text(found.flow)
    )


@dataclass(frozen=True, slots=True)
class Open:
    """A flow that ought to be blocked and is not; `rule` was meant to block it, and `why` it does not."""

    flow: Flow
    end: End | None = None
    rule: Rule | None = None
    why: str = ""


def open_flow(context: Context) -> Open | None:
    """The first flow that should be blocked and is not, with the rule that has no effect, if there is one: what a test saw pass comes
    first, then what nobody tested and the tables of both ends let pass."""
    if context.cause is not None:
        return None
    flows = flows_of(context.picture)
    known = flows.flows if flows is not None else tuple(Flow(t, None) for t in context.picture.tests)
    found = next((f for f in known if f.open and f.test.seen), None) or next((f for f in known if f.open), None)
    return _idle_rule(context, found) if found is not None else None


def _idle_rule(context: Context, flow: Flow) -> Open:
    """A rule that would block the packet if it were not for its interface, its place or the flow's being old already."""
    if flow.trip is None:
        return Open(flow)
    packet = Region((flow.trip.there.box,))
    order = context.picture.ends if not flow.test.from_left else context.picture.ends[::-1]
    for end in order:
        if end.tables is None:
            continue
        for chain, rule in each_rule(end.tables, HOOKS):
            if rule.action in (Action.DROP, Action.REJECT) and not is_everything(rule) and Region(rule.boxes) & packet:
                return Open(flow, end, rule, _why(end, chain, rule, packet))
    return Open(flow)


def _why(end: End, chain: Chain, rule: Rule, packet: Region) -> str:
    before = chain.rules[: next((i for i, r in enumerate(chain.rules) if r is rule), 0)]
    above = [r for r in before if r.action == Action.ACCEPT and not r.states and Region(r.boxes) & packet]
    named = [n for n in (rule.in_dev, rule.out_dev) if n != Names()]
    if named and end.tables is not None:
        tunnels = end.tables.tunnel_devs
        if rule.in_dev != Names() and not any(rule.in_dev.fits(t) for t in tunnels):
            return "wrong-interface"
        if rule.out_dev != Names() and all(
            rule.out_dev.fits(d) is False for d in end.tables.addresses if d not in tunnels
        ):
            return "wrong-interface"
    return "shadowed" if above else "no-effect"
