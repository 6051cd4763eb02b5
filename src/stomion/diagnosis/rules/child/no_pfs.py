"""Renewed keys depend on the first key exchange."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, sheet_places
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="no-pfs",
    stage=Stage.CHILD,
    title="No perfect forward secrecy",
    means="Neither end asks for a new key exchange when a Child SA is renewed: who learns the IKE SA's keys can read all traffic.",
    decided="No proposal for the Child SA in either sheet names a group.",
    example="Neither Quayhead nor Marram names a group for the Child SA.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    left, right = context.picture.ends
    named = [e.child_proposals for e in (left, right)]
    if not all(named) or any(p.group for proposals in named for p in proposals):
        return None
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"Neither {left.title} nor {right.title} names a group for the Child SA: renewed keys have no forward secrecy.",
        [Remedy(end.site, "name the same group in the Child SA's proposal at both ends") for end in (left, right)],
        sheet_places(context),
    )


RULE = Rule(SPEC, judge)
