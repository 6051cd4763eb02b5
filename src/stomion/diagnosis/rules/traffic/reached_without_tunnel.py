"""The far LAN answered while no tunnel was there."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.attempts import attempts_of, sender

SPEC = Spec(
    code="reached-without-tunnel",
    stage=Stage.TRAFFIC,
    title="Answered without the tunnel",
    means="A host of the far LAN answered before the tunnel was up: the packets have another way, perhaps unencrypted. That the same test "
    "is answered later proves nothing about the tunnel.",
    decided="A test between the LANs is answered at a moment before the first SA that either end's log tells of, and that log tells of the "
    "negotiation that made it.",
    example="10.66.0.10 answered ten minutes before Quayhead's tunnel with Marram came up.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    begun = [e for end in picture.ends for e in (*end.story.initiated, *end.story.asked) if e.at is not None]
    answered = [a for a in attempts_of(picture) if a.before and not a.silent and a.expected]
    if not answered or not begun:
        return None
    first = min(begun, key=lambda e: e.at or 0.0)
    early = [a for a in answered if a.at is not None and first.at is not None and a.at < first.at]
    if not early:
        return None
    start = sender(picture, early[0])
    return SPEC.finding(
        [start.site],
        Certainty.LIKELY,
        f"{early[0].says} before the tunnel was up: these packets have another way, and an answer later proves nothing about the tunnel.",
        [Remedy(start.site, f"trace the way to {early[0].to}, and close what leads past the tunnel; then test again")],
        [early[0].where, first.where],
        {"attempt": early[0].says},
    )


RULE = Rule(SPEC, judge)
