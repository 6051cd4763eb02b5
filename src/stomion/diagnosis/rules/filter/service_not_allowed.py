"""This service is not allowed."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import filter_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="service-not-allowed",
    stage=Stage.FILTER,
    title="This service is not allowed",
    means="Some services pass the tunnel and this one is dropped by a filter: the tunnel itself works.",
    decided="The failed flow is walked through the filters of both gateways and is dropped; other services pass the same way.",
    example="At Whelk ping is dropped; other services pass.",
)


def judge(context: Context) -> Finding | None:
    return filter_fault(context, SPEC)
