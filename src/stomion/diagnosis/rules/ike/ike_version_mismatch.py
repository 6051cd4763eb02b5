"""One end speaks IKEv1, the other IKEv2."""

from __future__ import annotations

from stomion.diagnosis.rules.ike.versions import versions
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Finding, Remedy, Stage

SPEC = Spec(
    code="ike-version-mismatch",
    stage=Stage.IKE,
    title="The ends use different IKE versions",
    means="One end asks with IKEv1 and the other has this peer configured for IKEv2, or the reverse.",
    decided="The refusing end says so, or it finds no configuration for the peer and its sheet or log names another version "
    "than the one asked with.",
    example="Quayhead asks with IKEv2; Driftwood is set to IKEv1.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what not in (What.VERSION_REFUSED, What.NO_PEER):
        return None
    known = versions(context)
    if known is None and cause.what is What.NO_PEER:
        return None
    by, asker = cause.by, context.asker
    text = f"{by.title} refuses the IKE version that {asker.title} asks with."
    if known:
        text = f"{asker.title} asks with IKEv{known[1]}; {by.title} is set to IKEv{known[0]}."
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(context.picture.left.site, context.picture.right.site),
        certainty=context.certainty(),
        summary=text,
        remedies=(
            Remedy(by.site, f"use IKEv{known[1] if known else '2'} for this tunnel"),
            Remedy(asker.site, f"or IKEv{known[0] if known else '1'} here, where IKEv2 can't be had there"),
        ),
        evidence=context.evidence(),
        facts={by.site: known[0], asker.site: known[1]} if known else {},
    )


RULE = Rule(SPEC, judge)
