"""A filter blocks the traffic."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.changes import switched_on
from stomion.diagnosis.rules.filter.family import Drop, drop_finding, first_drop
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.flows import flow_text
from stomion.vocabulary.times import clock_text

SPEC = Spec(
    code="filter-blocks",
    stage=Stage.FILTER,
    title="A filter blocks the traffic",
    means="A filter drops the traffic of the tunnel; no rule allows it.",
    decided="The failed flow is walked through the filters of both gateways; a rule or the end of a list drops it, and nothing passes this way. Where a record tells that the rule was switched on before, it is a remark: it may be meant.",
    example="At Whelk the end of the list drops everything from Quayhead.",
)


def judge(context: Context) -> Finding | None:
    found = first_drop(context, Drop.NOTHING_ALLOWS)
    if found is None:
        return _on_purpose(context)
    summary = f"At {found.found.end.title} {found.deciding} drops {found.words}: no rule allows it."
    return drop_finding(SPEC, found, summary, f"allow the traffic of this tunnel above {found.deciding}")


def _on_purpose(context: Context) -> Finding | None:
    """A block that a record tells to have been switched on, and that stops what ran: a remark, as it may well be meant."""
    found = next((s for s in switched_on(context.picture) if not s.flow.test.passed), None)
    if found is None or context.cause is not None:
        return None
    end, rule, flow = found.end, found.rule, flow_text(found.flow.test)
    change = found.change
    when = f" at {clock_text(change.at)}" if change is not None and change.at is not None else ""
    came = f"was switched on{when} and" if change is not None else "came into force while a ping ran, and"
    finding = SPEC.finding(
        [end.site],
        Certainty.PROVEN if change is not None else Certainty.LIKELY,
        f"At {end.title} {rule.label} {came} stops {flow}, as meant, if it was meant.",
        [Remedy(end.site, f"take {rule.label} back, if {flow} is to pass")],
        [rule.where, change.where if change is not None else None, found.flow.test.where],
        {"rule": rule.label, "flow": flow},
    )
    return replace(finding, caution=True)


RULE = Rule(SPEC, judge)
