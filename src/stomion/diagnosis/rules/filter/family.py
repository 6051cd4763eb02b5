"""What the rules of this stage share: every dropped flow with its one reason, and the first flow that ought to be blocked and is not."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from enum import StrEnum

from stomion.diagnosis.changes import switched_on
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


class Drop(StrEnum):
    """Why a filter drops what ought to pass: each is the matter of one rule."""

    AT_HOST = "at the host"
    SHADOWED = "an allow stands below"
    WRONG_ACTION = "the wrong action"
    ONE_SERVICE = "other services pass"
    NOTHING_ALLOWS = "nothing allows it"


@dataclass(frozen=True, slots=True)
class Blocked:
    """A dropped flow: why, where, and the rule that would have let it pass. `order` tells which was met first."""

    why: Drop
    found: Break
    flow: Flow
    order: int
    other: Rule | None = None
    certainty: Certainty = Certainty.PROVEN

    @property
    def deciding(self) -> str:
        """The rule that drops it, or the end of its list, in words."""
        if self.found.rule is not None:
            return self.found.rule.label
        return f"the end of {self.found.chain.name if self.found.chain else 'the filter'}"

    @property
    def words(self) -> str:
        """The flow as people name it."""
        return flow_text(self.flow.test)


def dropped(context: Context) -> tuple[Blocked, ...]:
    """Every dropped flow with its one reason; worked out once for all rules of this family (`Context.once`)."""
    if context.cause is not None:
        return ()
    # What somebody switched on a moment ago to stop it was perhaps meant to.
    meant = [s.flow for s in switched_on(context.picture)]
    return tuple(
        _blocked(context, found, found.flow, order)
        for order, found in enumerate(breaks(context.picture))
        if found.leg.fate is Fate.DROPPED
        and found.flow is not None
        and found.chain is not None
        and not any(found.flow is f for f in meant)
    )


def first_drop(context: Context, why: Drop) -> Blocked | None:
    """The first dropped flow with this reason."""
    return next((b for b in context.once(dropped) if b.why is why), None)


def _blocked(context: Context, found: Break, flow: Flow, order: int) -> Blocked:
    if found.leg.place is Machine.HOST:
        return Blocked(Drop.AT_HOST, found, flow, order)
    rule, tables = found.rule, found.end.tables
    packet = Region((found.leg.box,))
    if rule is not None and tables is not None:
        _, below = covering(tables, found.leg, packet, HOOKS, (Action.ACCEPT,))
        shadowed = [r for r in below if not _is_exception(context, found, rule, r)]
        if shadowed:
            return Blocked(Drop.SHADOWED, found, flow, order, shadowed[0])
        if any(word in rule.name.lower() for word in _ALLOWING):
            return Blocked(Drop.WRONG_ACTION, found, flow, order)
        if _pointless(tables, found, rule):
            return Blocked(Drop.WRONG_ACTION, found, flow, order, certainty=Certainty.LIKELY)
    alone = _others_pass(context, flow)
    return Blocked(Drop.ONE_SERVICE if alone else Drop.NOTHING_ALLOWS, found, flow, order)


def drop_finding(spec: Spec, blocked: Blocked, summary: str, remedy: str) -> Finding:
    """The finding of one of this family's rules: its sentence and change, with the proof and facts that all of them have."""
    found, other = blocked.found, blocked.other
    rule = found.rule
    facts: dict[str, object] = {
        "rule": blocked.deciding,
        "chain": found.chain.name if found.chain else "",
        "flow": blocked.words,
    }
    if other is not None:
        facts["allow"] = other.label
    if rule is not None and rule.hits is not None:
        facts["hits"] = rule.hits
    places = [
        rule.where if rule else (found.chain.where if found.chain else None),
        other.where if other else None,
        blocked.flow.test.where,
    ]
    site, detail = found.end.site, asked_text(blocked.flow)
    finding = spec.finding([site], blocked.certainty, summary, [Remedy(site, remedy)], places, facts, detail)
    return replace(finding, order=blocked.order)


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


def _others_pass(context: Context, flow: Flow) -> bool:
    """Does another service pass between the same two addresses, by the tests or by the tables?"""
    flows = flows_of(context.picture)
    assert flows is not None
    mine = flow.test
    tests = [t for t in context.picture.tests if t.passed and t.from_left is mine.from_left and t.to == mine.to]
    seen = any(t.service != mine.service and t.source == mine.source for t in tests)
    box = flow.trip.there.box if flow.trip is not None else EVERY
    alike = Region((box_of(box[SOURCE], box[DESTINATION]),))
    shares = flows.shares[0 if mine.from_left else 1]
    return seen or any(s.fate is Fate.CARRIED and s.region & alike for s in shares)


class Idle(StrEnum):
    """Why a rule that should block has no effect."""

    WRONG_INTERFACE = "wrong-interface"
    SHADOWED = "shadowed"
    NO_EFFECT = "no-effect"


@dataclass(frozen=True, slots=True)
class Open:
    """A flow that ought to be blocked and is not; `rule` was meant to block it, and `why` it does not."""

    flow: Flow
    end: End | None = None
    rule: Rule | None = None
    why: Idle | None = None
    above: Rule | None = None
    """The rule above it that lets the flow pass."""


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
                return Open(flow, end, rule, *_why(end, chain, rule, packet))
    return Open(flow)


def _why(end: End, chain: Chain, rule: Rule, packet: Region) -> tuple[Idle, Rule | None]:
    before = chain.rules[: next((i for i, r in enumerate(chain.rules) if r is rule), 0)]
    above = [r for r in before if r.action == Action.ACCEPT and not r.states and Region(r.boxes) & packet]
    named = [n for n in (rule.in_dev, rule.out_dev) if n != Names()]
    if named and end.tables is not None:
        tunnels = end.tables.tunnel_devs
        if rule.in_dev != Names() and not any(rule.in_dev.fits(t) for t in tunnels):
            return Idle.WRONG_INTERFACE, None
        if rule.out_dev != Names() and all(
            rule.out_dev.fits(d) is False for d in end.tables.addresses if d not in tunnels
        ):
            return Idle.WRONG_INTERFACE, None
    return (Idle.SHADOWED, above[0]) if above else (Idle.NO_EFFECT, None)
