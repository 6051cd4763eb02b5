"""The right match with the wrong action."""

from __future__ import annotations

from stomion.diagnosis.rules.filter.family import Drop, drop_finding, first_drop
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Stage

SPEC = Spec(
    code="wrong-action",
    stage=Stage.FILTER,
    title="The right match with the wrong action",
    means="A rule meant to let the traffic pass matches it, and is set to drop it.",
    decided="The failed flow is walked through the filter; the rule that drops it says by its name that it allows; or it is named, not as a block, and blocks nothing that would pass without it (likely).",
    example="At Whelk rule 3 “allow web” drops tcp/80.",
)


def judge(context: Context) -> Finding | None:
    found = first_drop(context, Drop.WRONG_ACTION)
    if found is None:
        return None
    where = f"At {found.found.end.title} {found.deciding}"
    if found.certainty is Certainty.PROVEN:
        why = "its name says it allows this traffic"
    else:
        why = "removing the rule would let nothing more through: it was probably meant to allow"
    summary = f"{where} drops {found.words}, although {why}."
    return drop_finding(SPEC, found, summary, f"correct the action of {found.deciding}")


RULE = Rule(SPEC, judge)
