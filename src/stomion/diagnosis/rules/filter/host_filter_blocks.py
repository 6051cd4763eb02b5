"""The host drops it itself."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import Drop, drop_finding, first_drop
from stomion.diagnosis.spec import Context, Rule, Spec
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
    found = first_drop(context, Drop.AT_HOST)
    if found is None:
        return None
    summary = f"The host behind {found.found.end.title} drops {found.words} itself ({found.deciding})."
    return drop_finding(SPEC, found, summary, "let the service pass in the host's own filter")


RULE = Rule(SPEC, judge)
