"""Nobody starts the tunnel."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, sheet_places
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.picture import End, Picture

SPEC = Spec(
    code="ike-not-initiated",
    stage=Stage.IKE,
    title="Neither end starts",
    means="Both ends wait for the other, so that the tunnel never comes up by itself.",
    decided="Both sheets say that their end never starts, and no negotiation is seen anywhere.",
    example="Quayhead and Marram both wait for the other to start.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    left, right = picture.ends
    if not (_waits(left) and _waits(right)) or negotiated(picture):
        return None
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} and {right.title} both wait for the other to start.",
        [Remedy(end.site, "let this end start, always or on traffic") for end in picture.ends],
        sheet_places(context),
    )


def _waits(end: End) -> bool:
    return end.sheet is not None and end.sheet.initiate == "never"


def negotiated(picture: Picture) -> bool:
    """Is there any sign that the two ends ever spoke to each other?"""
    seen = any(e.story.initiated or e.story.asked or e.story.ike_ever or e.story.child_ever for e in picture.ends)
    return bool(seen or picture.negotiations or picture.esp_out or picture.esp_back)


RULE = Rule(SPEC, judge)
