"""One end holds a Child SA that the other does not know."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, last_event
from stomion.model.event import Event, What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.attempts import latest
from stomion.tunnel.picture import End

SPEC = Spec(
    code="child-missing-at-peer",
    stage=Stage.SELECTORS,
    title="The peer has no such Child SA",
    means="One end sends into a Child SA that the other end has deleted or never installed; the packets arrive and are thrown away.",
    decided="The receiving end says that it knows no SA for the SPI, after the last Child SA it tells of; or its log ends the Child SA, or starts anew, while the other end's log keeps it and later tests fail.",
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
        gone = unknown if told else _gone(other)
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
    gone = _gone(other)
    if end.story.child_up is None or other.story.child_up is not None or other.story.child_ever is None or gone is None:
        return False
    after = [a for a in latest(context.picture) if a.at is not None and gone.at is not None and a.at > gone.at]
    return any(a.expected for a in after) and not any(a.passes for a in after)


def _gone(end: End) -> Event | None:
    """What took the SA away at an end: a delete, or a start of the whole service."""
    return last_event(
        end, What.CHILD_DOWN, What.DELETED_BY_PEER, What.IKE_DOWN, *([What.STARTED] if end.story.restarts else [])
    )


RULE = Rule(SPEC, judge)
