"""The peer was lost for a while and came back."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import PATH, Certainty, Finding, Stage

SPEC = Spec(
    code="path-outage",
    stage=Stage.UNDERLAY,
    title="The path was interrupted",
    means="Peer detection gave up on a peer that answered again later: the path or the peer was away for a while. The tunnel works now.",
    decided="An end's log loses the peer and later sets up an IKE SA or Child SA with it again.",
    example="Quayhead lost contact with Marram at 09:14:02 and regained it 38 s later.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    for end in context.picture.ends:
        if not end.story.outages:
            continue
        lost, back = end.story.outages[-1]
        other = context.picture.other(end)
        gone = round(back.at - lost.at) if back.at is not None and lost.at is not None else None
        after = f" and regained it {gone} s later" if gone is not None else " and regained it later"
        times = len(end.story.outages)
        often = f", {times} times in all" if times > 1 else ""
        return SPEC.finding(
            [PATH],
            Certainty.LIKELY,
            f"{end.title} lost contact with {other.title}{after}{often}.",
            evidence=[lost.where, back.where],
            facts={"outages": times, "seconds": gone},
        )
    return None


RULE = Rule(SPEC, judge)
