"""The tunnel was up, then the peer stopped answering."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="peer-gone",
    stage=Stage.UNDERLAY,
    title="The peer stopped answering",
    means="The tunnel had been up. Then dead-peer detection or a rekey got no answer, to the end of the evidence.",
    decided="An end's log gives up on the peer after the IKE SA (or a child, with another try after it) had been established, and nothing comes up again.",
    example="Petrel was up and stopped answering Farlight.",
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    for end in context.picture.ends:
        story = end.story
        given_up = story.lost + [e for e in story.silence if e.what.name in ("GAVE_UP", "NO_ANSWER")]
        other = context.picture.other(end)
        # A child that stood tells of its IKE SA, where one was asked for again.
        stood = story.ike_ever or (story.child_ever if story.silence else None)
        if stood is None or not given_up or other.story.lost:
            continue
        return Finding(
            code=SPEC.code,
            stage=SPEC.stage,
            sides=(other.site,),
            certainty=Certainty.LIKELY,
            summary=f"{other.title} was up and stopped answering {end.title}.",
            remedies=(Remedy(other.site, "see whether the gateway, its link and its IKE service are alive"),),
            evidence=(given_up[-1].where, stood.where),
        )
    return None


RULE = Rule(SPEC, judge)
