"""Nobody starts the tunnel."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.spec import Context, Rule, Spec, sheet_places
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.picture import End, Picture

SPEC = Spec(
    code="ike-not-initiated",
    stage=Stage.IKE,
    title="Neither end starts",
    means="Both ends wait for the other, so that the tunnel never comes up by itself.",
    decided="Both sheets say that their end never starts, and no negotiation is seen anywhere; or both logs wait for traffic, and some is held back.",
    example="Quayhead and Marram both wait for the other to start.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    left, right = picture.ends
    if negotiated(picture):
        return None
    if not (_waits(left) and _waits(right)):
        return _wanted(picture)
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} and {right.title} both wait for the other to start.",
        [Remedy(end.site, "let this end start, always or on traffic") for end in picture.ends],
        sheet_places(context),
    )


def _wanted(picture: Picture) -> Finding | None:
    """By the logs alone: both wait for traffic, there is some, and yet nobody starts."""
    waiting = [next((e for e in end.events if e.what is What.WAITING), None) for end in picture.ends]
    wanted = [(end, e) for end in picture.ends for e in end.events if e.what is What.UNCARRIED]
    first, second = waiting
    if first is None or second is None or not wanted:
        return None
    end, held = wanted[0]
    found = SPEC.finding(
        [end.site],
        Certainty.LIKELY,
        f"{picture.left.title} and {picture.right.title} wait for traffic; {end.title} holds some back and starts nothing.",
        [Remedy(end.site, "start the tunnel there, or let it start always")],
        [first.where, second.where, held.where],
    )
    return replace(found, caution=False)


def _waits(end: End) -> bool:
    return end.sheet is not None and end.sheet.initiate == "never"


def negotiated(picture: Picture) -> bool:
    """Is there any sign that the two ends ever spoke to each other?"""
    seen = any(e.story.initiated or e.story.asked or e.story.ike_ever or e.story.child_ever for e in picture.ends)
    return bool(seen or picture.negotiations or picture.esp_out or picture.esp_back)


RULE = Rule(SPEC, judge)
