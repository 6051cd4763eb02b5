"""The exemption stands below a wider translation."""

from __future__ import annotations

from stomion.diagnosis.rules.nat.family import Exemption, exemption_finding, first_caught
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="exemption-shadowed",
    stage=Stage.NAT,
    title="The exemption stands below a wider translation",
    means="There is a rule that exempts the tunnel's packets from translation, but a wider rule above it translates them first, so that it never matches.",
    decided="The rules are gone through in order; a rule that translates matches before the one that would exempt the same packets.",
    example="At Eelgrass rule 1 translates everything before rule 2 could exempt it.",
)


def judge(context: Context) -> Finding | None:
    item = first_caught(context, Exemption.SHADOWED)
    if item is None:
        return None
    assert item.other is not None
    far, below = context.picture.other(item.found.end).title, item.other.label
    summary = f"At {item.found.end.title} {item.rule.label} translates what goes to {far} before {below} can exempt it."
    return exemption_finding(context, SPEC, item, summary, f"move {below} above {item.rule.label}")


RULE = Rule(SPEC, judge)
