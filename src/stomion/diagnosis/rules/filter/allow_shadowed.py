"""An allow rule stands under a block."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import Drop, drop_finding, first_drop
from stomion.diagnosis.spec import Context, Rule, Spec
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
    found = first_drop(context, Drop.SHADOWED)
    if found is None:
        return None
    assert found.other is not None
    below = found.other.label
    summary = f"At {found.found.end.title} {found.deciding} drops {found.words} before {below} can let it pass."
    return drop_finding(SPEC, found, summary, f"move {below} above {found.deciding}")


RULE = Rule(SPEC, judge)
