"""A filter blocks the traffic."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import filter_fault
from stomion.diagnosis.spec import Context, Spec
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
    return filter_fault(context, SPEC)
