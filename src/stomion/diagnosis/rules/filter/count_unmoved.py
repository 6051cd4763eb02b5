"""A rule that the tests' packets must have met counts nothing."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.tables import Action
from stomion.model.tables import Rule as TableRule
from stomion.tunnel.flows import Flow, flow_text, flows_of
from stomion.tunnel.picture import End
from stomion.walk.journey import NEAR

SPEC = Spec(
    code="count-unmoved",
    stage=Stage.FILTER,
    title="A rule's count does not move while tests run",
    means="Both ends' tables let the test's packets pass, yet there was no answer and a rule they must match counted none: they never reached this gateway.",
    decided="A failed flow that the tables let pass is walked; the first rule on its way with a count shows none, or the same in two readings of its table. Every new connection counts once in the rule that lets it pass.",
    example="Whelk's rule 2 counts no packet though three tests to its web server were sent: they are lost before Whelk.",
    caution=True,
    explains=frozenset({"test-fails-unexplained"}),
)


@dataclass(frozen=True, slots=True)
class _Met:
    """A rule with a count that a flow meets, at an end."""

    end: End
    rule: TableRule
    moved: bool


def judge(context: Context) -> Finding | None:
    flows = flows_of(context.picture)
    if context.cause is not None or flows is None:
        return None
    for flow in flows.flows:
        if not (flow.test.seen and flow.failed and flow.trip is not None and flow.trip.works):
            continue
        met = _met(context, flow)
        still = next((m for m in met if not m.moved), None)
        if still is not None:
            before = next((m for m in met if m.moved and m.end is not still.end), None)
            return _finding(flow, still, before)
    return None


def _met(context: Context, flow: Flow) -> list[_Met]:
    """The rules that let the question pass, in its order, where they count."""
    assert flow.trip is not None
    sender = 0 if flow.test.from_left else 1
    out = []
    for at, step in flow.trip.there.steps:
        rule = step.rule
        if rule is None or rule.action != Action.ACCEPT or rule.hits is None:
            continue
        end = context.picture.ends[sender if at == NEAR else 1 - sender]
        out.append(_Met(end, rule, rule.hits > 0 if rule.moved is None else rule.moved > 0))
    return out


def _finding(flow: Flow, still: _Met, before: _Met | None) -> Finding:
    words = flow_text(flow.test)
    reached = f" They are counted at {before.end.title}: look between the two." if before is not None else ""
    text = f"At {still.end.title}, the counter of {still.rule.label} did not move during the test of {words}, though those packets must match it.{reached}"
    certainty = Certainty.LIKELY if still.rule.moved is not None else Certainty.POSSIBLE
    remedy = "read the table again after one more test: if the count stays, the packets are lost before this gateway"
    return SPEC.finding(
        [still.end.site],
        certainty,
        text,
        [Remedy(still.end.site, remedy)],
        [still.rule.where, before.rule.where if before is not None else None, flow.test.where],
        {"rule": still.rule.label, "flow": words, "hits": still.rule.hits, "moved": still.rule.moved},
    )


RULE = Rule(SPEC, judge)
