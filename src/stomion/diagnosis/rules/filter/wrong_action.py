"""The right match with the wrong action."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import filter_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="wrong-action",
    stage=Stage.FILTER,
    title="The right match with the wrong action",
    means="A rule meant to let the traffic pass matches it, and is set to drop it.",
    decided="The failed flow is walked through the filter; the rule that drops it says by its name that it allows; or it is named, not as a block, and blocks nothing that would pass without it (likely).",
    example="At Whelk rule 3 “allow web” drops tcp/80.",
)


def judge(context: Context) -> Finding | None:
    return filter_fault(context, SPEC)
