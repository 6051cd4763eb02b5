"""Rules that were switched on or changed while something ran: what they stop was perhaps meant to stop."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from stomion.model.finding import STAGES, Finding, Stage
from stomion.model.tables import Rule
from stomion.tunnel.attempts import Attempt, attempts_of
from stomion.tunnel.flows import Flow, flows_of
from stomion.tunnel.picture import Change, End, Picture
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
    change: Change | None


def switched_on(picture: Picture) -> Iterator[Switched]:
    """Every flow that ends at such a rule, whether it was seen to end or, with a record, to go on."""
    flows = flows_of(picture) if picture.changes or picture.pings else None
    for flow in flows.flows if flows is not None else ():
        rule = flow.broken.rule if flow.broken is not None else None
        if flow.broken is None or rule is None or not blocked(rule.action) or not flow.test.seen:
            continue
        change = next((c for c in _in_force(picture) if c.subject == rule.name and _before(c, flow.test.at)), None)
        if any(c.subject == rule.name and c.pending for c in picture.changes):
            # It was saved, and nothing tells that it came into force.
            continue
        began = flow.test.continuous and flow.test.received > 0 and not flow.test.passed
        if change is None and not began:
            continue
        flows_end = (
            flows.ends_of(flow.test.from_left, flow.broken, flow.trip.on_the_way_back) if flows and flow.trip else 0
        )
        yield Switched(flow, rule, picture.ends[flows_end], change)


def _in_force(picture: Picture) -> list[Change]:
    """Rules that were changed, with the moment from which they counted."""
    return [c for c in picture.changes if c.what == "rule-changed" and not c.pending]


def _before(change: Change, at: float | None) -> bool:
    return change.at is None or at is None or change.at < at


BESIDE_S = 600.0
"""Seconds before a failure in which a change is worth naming, where nothing tells when it still worked."""


def change_beside(picture: Picture, finding: Finding) -> Change | None:
    """The latest change between the last moment at which it worked and the first at which it failed, of this tunnel or of nothing in
    particular, where the finding does not speak of it already."""
    broke, worked = _moments(picture, finding)
    if broke is None:
        return None
    since = worked if worked is not None else broke - BESIDE_S
    near = [
        c
        for c in picture.changes
        if not (c.what == "rule-changed" and finding.stage in (Stage.NAT, Stage.FILTER))
        and (worked is not None or c.subject)
        if c.at is not None
        and not c.pending
        and since <= c.at <= broke
        and c.where not in finding.evidence
        and _of_it(picture, c)
    ]
    return max(near, key=lambda c: c.at or 0.0, default=None)


def _moments(picture: Picture, finding: Finding) -> tuple[float | None, float | None]:
    """(when it first failed, when it last worked before that), by refusals where the tunnel was refused, else by tests."""
    if STAGES.index(finding.stage) <= STAGES.index(Stage.SELECTORS):
        failed = [r.event.at for e in picture.ends for r in e.story.standing if r.event.at is not None]
        good = [
            x.at
            for e in picture.ends
            for x in (e.story.ike_ever, e.story.child_ever)
            if x is not None and x.at is not None
        ]
    else:
        tried = [a for a in attempts_of(picture) if a.at is not None and a.expected]
        failed = [a.at for a in tried if not a.passes and a.at is not None]
        good = [a.at for a in tried if a.passes and a.at is not None]
    broke = min(failed, default=None)
    return broke, max((at for at in good if broke is not None and at < broke), default=None)


def _of_it(picture: Picture, change: Change) -> bool:
    """Does a change concern this tunnel? One of a rule does; a configuration's where it names the tunnel, its peer, or nothing."""
    if change.what != "config-applied":
        return True
    names = {
        picture.name,
        *(e.site for e in picture.ends),
        *(e.sheet.name for e in picture.ends if e.sheet is not None),
    }
    return not change.subject or change.subject in names


def stopped_by(picture: Picture, attempt: Attempt) -> Change | None:
    """The change right before a continuous ping's last answer, or in the seconds that lead up to its first lost probe."""
    for series in picture.pings:
        if (series.source, series.to) != (attempt.who, attempt.to):
            continue
        answered = [at for got, at in zip(series.answered, series.times, strict=True) if got and at is not None]
        if not answered or series.answered[-1]:
            return None
        near = (c for c in _in_force(picture) if c.at is not None and c.at - 1 <= answered[-1] <= c.at + SOON_S)
        return next(near, None)
    return None
