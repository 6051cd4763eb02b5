"""The group for perfect forward secrecy differs: the first child comes up, the first rekey fails."""

from __future__ import annotations

from stomion.diagnosis.rules.child.pfs import pfs_groups
from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="pfs-mismatch",
    stage=Stage.CHILD,
    title="The PFS groups differ",
    means="The ends use different key exchange groups for fresh Child SAs. IKEv2 builds the first child without one, so the "
    "tunnel works until its first rekey.",
    decided="A child was refused after one had been up, or offers and wishes differ in the group alone.",
    example="Brackish takes group 20 for a rekey; Quayhead offers group 14. The first child worked.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    groups = pfs_groups(context)
    if cause is None or groups is None:
        return None
    by, asker = cause.by, context.asker
    told = all(groups)
    if told:
        text = f"{asker.title} offers PFS group {listed(groups[0])}; {by.title} takes {listed(groups[1])}."
    else:
        text = f"{by.title} refuses {asker.title}'s proposal for a fresh child: the PFS groups differ."
    later = any(r.child_was_up for _, r in cause.all)
    if later:
        text += " The first child worked; every rekey fails."
    sure = not cause.heard and (told or cause.what is What.PFS_REFUSED)
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(context.picture.left.site, context.picture.right.site),
        certainty=Certainty.PROVEN if sure else Certainty.LIKELY,
        summary=text,
        remedies=(
            Remedy(asker.site, f"use PFS group {listed(groups[1]) or f'of {by.title}'} for the Child SA"),
            Remedy(by.site, f"or allow PFS group {listed(groups[0]) or f'of {asker.title}'}"),
        ),
        evidence=context.evidence(),
        facts={"differs": ["group"], asker.site: list(groups[0]), by.site: list(groups[1])},
    )


RULE = Rule(SPEC, judge)
