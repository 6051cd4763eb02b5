"""The peer was lost for a while and came back."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.loss import one_gap
from stomion.model.finding import PATH, Certainty, Finding, Stage
from stomion.tunnel.failover import covered_by_switch

MANY = 3
"""Times from which on contact that is lost and regained is a fault of today."""
SPEC = Spec(
    code="path-outage",
    stage=Stage.UNDERLAY,
    title="The path was interrupted",
    means="Peer detection gave up on a peer that answered again later: the path or the peer was away for a while. The tunnel works now.",
    decided="An end's log loses the peer and later sets up an IKE SA or Child SA with it again; or one piece of a continuous ping between the LANs is lost, and nothing else tells why.",
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
        found = SPEC.finding(
            [PATH],
            Certainty.LIKELY,
            f"{end.title} lost contact with {other.title}{after}{often}.",
            evidence=[lost.where, back.where],
            facts={"outages": times, "seconds": gone},
        )
        # Once is over; again and again will come back.
        return replace(found, caution=times < MANY)
    return _of_pings(context)


def _of_pings(context: Context) -> Finding | None:
    """A piece of a continuous ping between the LANs was lost, with answers before and after, and nothing else that is seen tells of it."""
    picture = context.picture
    if context.cause is not None or picture.link_events or any(e.story.lost for e in picture.ends):
        return None
    for series in picture.pings:
        gap = one_gap(series.answered)
        if gap is None:
            continue
        begin, end = series.times[gap.first], series.times[gap.first + gap.lost]
        if begin is not None and covered_by_switch(picture, begin):
            continue
        seconds = round(end - begin, 1) if begin is not None and end is not None else None
        length = f"{seconds:g} s, " if seconds is not None else ""
        return SPEC.finding(
            [PATH],
            Certainty.LIKELY,
            f"The ping from {series.source} to {series.to} was silent once, for {length}{gap.lost} probes, and answered before and after.",
            evidence=[series.where],
            facts={"outages": 1, "seconds": seconds, "lost": gap.lost},
        )
    return None


RULE = Rule(SPEC, judge)
