"""One end holds a Child SA that the other does not know."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, last_event
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.picture import End

SPEC = Spec(
    code="child-missing-at-peer",
    stage=Stage.SELECTORS,
    title="The peer has no such Child SA",
    means="One end sends into a Child SA that the other end has deleted or never installed; the packets arrive and are thrown away.",
    decided="The receiving end says that it knows no SA for the SPI, after the last Child SA it tells of; or its log ends the Child SA while the other end's keeps it and later tests fail.",
    example="Marram no longer has the Child SA that Quayhead sends into.",
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    for end in context.picture.ends:
        other = context.picture.other(end)
        unknown = last_event(other, What.SPI_UNKNOWN)
        up = other.story.child_up
        told = unknown is not None and (up is None or (unknown.where.line or 0) > (up.where.line or 0))
        if not (told and end.story.child_up) and not _kept_alone(context, end, other):
            continue
        gone = unknown if told else last_event(other, What.CHILD_DOWN, What.DELETED_BY_PEER, What.IKE_DOWN)
        assert end.story.child_up is not None
        return SPEC.finding(
            [other.site],
            Certainty.PROVEN if told else Certainty.LIKELY,
            f"{other.title} has no Child SA for what {end.title} sends.",
            [
                Remedy(end.site, "end its Child SA, so that a new one is negotiated"),
                Remedy(
                    other.site,
                    "find out why it lost the SA: a restart, a delete that did not arrive, another tunnel's setup",
                ),
            ],
            [gone.where if gone else None, end.story.child_up.where],
        )
    return None


def _kept_alone(context: Context, end: End, other: End) -> bool:
    """One log keeps the child, the other's ended it, and traffic fails after that."""
    gone = last_event(other, What.CHILD_DOWN, What.DELETED_BY_PEER, What.IKE_DOWN)
    if end.story.child_up is None or other.story.child_up is not None or other.story.child_ever is None or gone is None:
        return False
    after = [
        t for t in context.picture.tests if t.at is not None and gone.at is not None and t.at > gone.at and t.expected
    ]
    return bool(after) and not any(t.passed for t in after)


RULE = Rule(SPEC, judge)
