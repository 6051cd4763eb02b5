"""The IKE SA is up; no proposal for the Child SA is common."""

from __future__ import annotations

from stomion.diagnosis.offers import child_offers, remedies_for
from stomion.diagnosis.rules.child.pfs import pfs_groups
from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Stage

SPEC = Spec(
    code="esp-proposal-mismatch",
    stage=Stage.CHILD,
    title="No ESP proposal in common",
    means="The ends authenticated each other and could not agree on encryption and integrity for the traffic itself.",
    decided="The refusing end's log says so at the Child SA, or its peer hears NO_PROPOSAL_CHOSEN after authentication.",
    example="Marram takes AES-GCM-16-128; Quayhead offers AES-CBC-256 with HMAC-SHA2-256-128.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.CHILD_PROPOSAL_REFUSED or pfs_groups(context) is not None:
        return None
    offers = child_offers(context)
    refuser, asker = cause.by, context.asker
    if offers.miss:
        summary = (
            f"{asker.title} offers ESP with {listed([str(p) for p in offers.offered[:3]])}; "
            f"{refuser.title} takes {listed([str(p) for p in offers.accepted[:3]])}. The IKE SA itself is up."
        )
    else:
        summary = f"{refuser.title} refuses every ESP proposal of {asker.title}. The IKE SA itself is up."
    certainty = context.certainty()
    if cause.heard:
        certainty = Certainty.LIKELY
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(context.picture.left.site, context.picture.right.site),
        certainty=certainty,
        summary=summary,
        remedies=remedies_for(offers, asker, refuser, "ESP"),
        evidence=context.evidence(),
        facts=offers.facts(asker.site, refuser.site) | {"attempts": context.attempts()},
    )


RULE = Rule(SPEC, judge)
