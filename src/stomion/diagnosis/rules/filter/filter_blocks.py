"""A filter blocks the traffic."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import Drop, drop_finding, first_drop
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="filter-blocks",
    stage=Stage.FILTER,
    title="A filter blocks the traffic",
    means="A filter drops the traffic of the tunnel; no rule allows it.",
    decided="The failed flow is walked through the filters of both gateways; a rule or the end of a list drops it, and nothing passes this way.",
    example="At Whelk the end of the list drops everything from Quayhead.",
)


def judge(context: Context) -> Finding | None:
    found = first_drop(context, Drop.NOTHING_ALLOWS)
    if found is None:
        return None
    summary = f"At {found.found.end.title} {found.deciding} drops {found.words}: no rule allows it."
    return drop_finding(SPEC, found, summary, f"allow the traffic of this tunnel above {found.deciding}")


RULE = Rule(SPEC, judge)
