"""The peer accepts and then takes it down at once."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="deleted-by-peer",
    stage=Stage.IKE,
    title="The peer deletes the SA",
    means='The SA came up and the peer deleted it straight away: it rejected something without reporting it; "established" was not final.',
    decided="An end's log tells of an SA that came up, of its deletion by the peer within seconds, and of nothing that stays up after it; no refusal is named at either end.",
    example="Marram deletes the SA right after it came up.",
)


AT_ONCE = 10.0
"""Seconds between an SA's coming up and its deletion within which the peer has not simply been shut down later."""


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    if context.picture.link_events or any(t.passed for t in context.picture.tests):
        return None
    for end in context.picture.ends:
        deleted = [(up, gone) for up, gone in end.story.deleted if up.at is not None and gone.at is not None]
        quick = [(up, gone) for up, gone in deleted if (gone.at or 0) - (up.at or 0) <= AT_ONCE]
        story = end.story
        if not quick or story.child_up or story.ike_up or story.rekeyed or story.lost or story.outages:
            continue
        other = context.picture.other(end)
        up, gone = quick[-1]
        return SPEC.finding(
            [other.site],
            Certainty.LIKELY,
            f"{other.title} deletes the SA right after it came up"
            + (f", {len(quick)} times." if len(quick) > 1 else "."),
            [
                Remedy(
                    other.site,
                    "look in its log at that moment: identity, certificate, selectors or a policy of its own",
                )
            ],
            [gone.where, up.where],
            {"times": len(quick)},
        )
    return None


RULE = Rule(SPEC, judge)
