"""The sheets of both ends name ranges that do not mirror each other."""

from __future__ import annotations

from stomion.diagnosis.rules.selectors import selectors_narrowed
from stomion.diagnosis.rules.selectors.selectors_unacceptable import remedies_for, sentence
from stomion.diagnosis.rules.selectors.wishes import Difference, differences
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Stage
from stomion.space.ranges import covers
from stomion.tunnel import settings

SPEC = Spec(
    code="selectors-not-mirrored",
    stage=Stage.SELECTORS,
    title="The declared selectors do not mirror each other",
    means="What one end calls its own range is not what the other end asks for. IKEv1 will refuse it; IKEv2 may narrow it, and then "
    "some hosts have no tunnel.",
    decided="Arithmetic on both ends' sheets; it needs no packet. Where a refusal or a narrowed child was seen, that is the finding.",
    example="Marram has 10.66.0.0/22 on its side; Quayhead means 10.66.0.0/21.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or not cause.declared or cause.what is not What.SELECTORS_REFUSED:
        return None
    found = differences(context)
    if not found or context.once(selectors_narrowed.judge) is not None:
        return None
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=tuple(dict.fromkeys(d.wrong.site for d in found)),
        certainty=Certainty.LIKELY if _may_narrow(context, found) else Certainty.PROVEN,
        summary=" ".join(sentence(context, d) for d in found),
        remedies=tuple(r for d in found for r in remedies_for(context, d)),
        evidence=context.evidence(),
        facts={"ranges": [{"of": d.owner.site, "own": list(d.owner_says), "peer": list(d.peer_says)} for d in found]},
    )


def _may_narrow(context: Context, found: list[Difference]) -> bool:
    """IKEv2: where one end's ranges hold the other's, the responder may narrow to the smaller ones, and these work (RFC 7296 2.9)."""
    old = any(settings.version(context.picture, end).value == 1 for end in context.picture.ends)
    return not old and all(covers(d.owner_says, d.peer_says) or covers(d.peer_says, d.owner_says) for d in found)


RULE = Rule(SPEC, judge)
