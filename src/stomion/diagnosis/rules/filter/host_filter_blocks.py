"""The host drops it itself."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import filter_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="host-filter-blocks",
    stage=Stage.FILTER,
    title="The host drops it itself",
    means="The packet passes both gateways; the filter of the host it is for drops it.",
    decided="The host's own rules are gone through.",
    example="The host behind Whelk drops ping itself.",
)


def judge(context: Context) -> Finding | None:
    return filter_fault(context, SPEC)
