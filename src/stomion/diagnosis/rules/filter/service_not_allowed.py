"""This service is not allowed."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import Drop, drop_finding, first_drop
from stomion.diagnosis.spec import Context, Rule, Spec
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
    found = first_drop(context, Drop.ONE_SERVICE)
    if found is None:
        return None
    summary = f"At {found.found.end.title} {found.deciding} drops {found.words}; other services pass."
    return drop_finding(SPEC, found, summary, f"allow this service above {found.deciding}, if it is meant to pass")


RULE = Rule(SPEC, judge)
