"""Single packets are lost on the way, again and again."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.loss import ENOUGH, scattered_loss
from stomion.model.finding import PATH, Certainty, Finding, Remedy, Stage
from stomion.tunnel.attempts import failing

SPEC = Spec(
    code="packet-loss",
    stage=Stage.UNDERLAY,
    title="Packets are lost at random",
    means="The tunnel is up and most packets pass, yet single ones are lost all the time: a bad line, a full queue or a rate limit.",
    decided="A continuous ping between the LANs loses several probes apart from each other, with answers between them, and nothing else that is seen explains the gaps.",
    example="6 of 60 probes from Quayhead to Marram were lost, one at a time.",
)

_TEST = "test the line without the tunnel, public address to public address; look for errors and full queues"


def judge(context: Context) -> Finding | None:
    picture = context.picture
    if context.cause is not None or picture.link_events or any(e.story.lost or e.story.outages for e in picture.ends):
        return None
    for series in picture.pings:
        loss = scattered_loss(series.answered)
        if loss is None:
            continue
        return SPEC.finding(
            [PATH],
            Certainty.LIKELY,
            f"{loss.lost} of {loss.sent} probes from {series.source} to {series.to} were lost, in {loss.runs} separate gaps.",
            [
                Remedy(PATH, _TEST),
            ],
            [series.where],
            {"lost": loss.lost, "sent": loss.sent, "runs": loss.runs},
            detail=_links(context),
        )
    return _of_tests(context)


def _of_tests(context: Context) -> Finding | None:
    """Tests of which a part is answered, in a number that tells more than chance."""
    lossy = [a for a in failing(context.picture) if a.lossy and a.last is None and a.sent >= ENOUGH]
    if not lossy:
        return None
    sent, lost = sum(a.sent for a in lossy), sum(a.sent - a.received for a in lossy)
    return SPEC.finding(
        [PATH],
        Certainty.LIKELY,
        f"{lost} of {sent} packets between the LANs were lost: {'; '.join(a.says for a in lossy[:3])}.",
        [Remedy(PATH, _TEST)],
        [a.where for a in lossy],
        {"lost": lost, "sent": sent},
        detail=_links(context),
    )


def _links(context: Context) -> str:
    """Links of either gateway that count errors or dropped packets."""
    words = {"link-errors": "damaged packets received", "link-dropped": "received packets dropped"}
    said = [
        f"{end.title}'s {d.dev} counts {d.count:,} {words[d.cause]} ({d.where})"
        for end in context.picture.ends
        for d in end.dropped
        if d.cause in words
    ]
    return "; ".join(said) + "." if said else ""


RULE = Rule(SPEC, judge)
