"""Rules that were switched on or changed while something ran: what they stop was perhaps meant to stop."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from stomion.model.tables import Rule
from stomion.tunnel.attempts import Attempt
from stomion.tunnel.flows import Flow, flows_of
from stomion.tunnel.picture import End, Picture, RuleChange
from stomion.walk.chains import blocked

SOON_S = 10.0
"""Seconds after a change within which what stops may stop by it: a configuration is applied some seconds after it is saved."""


@dataclass(frozen=True, slots=True)
class Switched:
    """A flow that a rule drops by the tables, though it was answered for a while; `change` is the record of when the rule was switched
    on, where there is one."""

    flow: Flow
    rule: Rule
    end: End
    change: RuleChange | None


def switched_on(picture: Picture) -> Iterator[Switched]:
    """Every flow that ends at such a rule, whether it was seen to end or, with a record, to go on."""
    flows = flows_of(picture) if picture.changes or picture.pings else None
    for flow in flows.flows if flows is not None else ():
        rule = flow.broken.rule if flow.broken is not None else None
        if flow.broken is None or rule is None or not blocked(rule.action) or not flow.test.seen:
            continue
        change = next((c for c in picture.changes if c.subject == rule.name and _before(c, flow.test.at)), None)
        began = flow.test.continuous and flow.test.received > 0 and not flow.test.passed
        if change is None and not began:
            continue
        flows_end = (
            flows.ends_of(flow.test.from_left, flow.broken, flow.trip.on_the_way_back) if flows and flow.trip else 0
        )
        yield Switched(flow, rule, picture.ends[flows_end], change)


def _before(change: RuleChange, at: float | None) -> bool:
    return change.at is None or at is None or change.at < at


def stopped_by(picture: Picture, attempt: Attempt) -> RuleChange | None:
    """The change right before a continuous ping's last answer, or in the seconds that lead up to its first lost probe."""
    for series in picture.pings:
        if (series.source, series.to) != (attempt.who, attempt.to):
            continue
        answered = [at for got, at in zip(series.answered, series.times, strict=True) if got and at is not None]
        if not answered or series.answered[-1]:
            return None
        near = (c for c in picture.changes if c.at is not None and c.at - 1 <= answered[-1] <= c.at + SOON_S)
        return next(near, None)
    return None
