"""An allow rule stands under a block."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import filter_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="allow-shadowed",
    stage=Stage.FILTER,
    title="An allow rule stands under a block",
    means="A rule that would let the traffic pass is there, and a rule above it drops the same packets first.",
    decided="The failed flow is walked through the filter; the rule that drops it stands above one that would accept it.",
    example="At Whelk rule 2 drops tcp/80 before rule 3 can let it pass.",
)


def judge(context: Context) -> Finding | None:
    return filter_fault(context, SPEC)
