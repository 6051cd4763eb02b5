"""The group for perfect forward secrecy differs: the first child comes up, the first rekey fails."""

from __future__ import annotations

from stomion.diagnosis.offers import child_offers
from stomion.diagnosis.rules.child.pfs import pfs_groups
from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel import settings
from stomion.tunnel.picture import End

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
    if cause is None or cause.declared:
        declared = _declared(context)
        if declared is not None:
            return declared
    if cause is None or groups is None:
        return None
    by, asker = cause.by, context.asker
    without = bool(groups[0]) and not groups[1] and bool(child_offers(context).accepted)
    told = all(groups) or without
    if without:
        text = f"{asker.title} offers PFS group {listed(groups[0])}; {by.title} has no PFS."
    elif told:
        text = f"{asker.title} offers PFS group {listed(groups[0])}; {by.title} takes {listed(groups[1])}."
    else:
        text = f"{by.title} refuses {asker.title}'s proposal for a fresh child: the PFS groups differ."
    later = any(r.child_was_up for _, r in cause.all)
    if later:
        text += " The first child worked; every rekey fails."
    # Who names no group may have left it out of what it tells.
    sure = not cause.heard and ((told and not without) or cause.what is What.PFS_REFUSED)
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(context.picture.left.site, context.picture.right.site),
        certainty=Certainty.PROVEN if sure else Certainty.LIKELY,
        summary=text,
        remedies=_remedies(asker, by, groups, without),
        evidence=context.evidence(),
        facts={"differs": ["group"], asker.site: list(groups[0]), by.site: list(groups[1])},
    )


def _remedies(
    asker: End, by: End, groups: tuple[tuple[str, ...], tuple[str, ...]], without: bool
) -> tuple[Remedy, ...]:
    if without:
        return (
            Remedy(by.site, f"turn PFS on with group {listed(groups[0])}"),
            Remedy(asker.site, "or turn PFS off for the Child SA, which is weaker"),
        )
    return (
        Remedy(asker.site, f"use PFS group {listed(groups[1]) or f'of {by.title}'} for the Child SA"),
        Remedy(by.site, f"or allow PFS group {listed(groups[0]) or f'of {asker.title}'}"),
    )


def _declared(context: Context) -> Finding | None:
    """By both sheets one end asks for PFS and the other has none. IKEv1 carries the group in quick mode, so that the first child is
    refused (RFC 2409 5.5); IKEv2 builds the first child without one, and the first rekey shows it (RFC 7296 1.3.1)."""
    picture = context.picture
    groups = [tuple(dict.fromkeys(g for p in e.child_proposals for g in p.group)) for e in picture.ends]
    bare = [not g for g in groups]
    whole = all(e.child_proposals and e.sheet is not None for e in picture.ends)
    if not whole or sum(bare) != 1 or any(len(e.story.children) > 1 for e in picture.ends):
        return None
    asks, lacks = picture.ends if bare[1] else picture.ends[::-1]
    named = listed(groups[0] or groups[1])
    old = settings.version(picture, picture.left).value == 1
    effect = (
        "quick mode will be refused."
        if old
        else "the first child can come up, a rekey is refused where the ends insist."
    )
    return SPEC.finding(
        [picture.left.site, picture.right.site],
        Certainty.PROVEN,
        f"{asks.title} asks for PFS with group {named}; {lacks.title} has none: {effect}",
        [
            Remedy(lacks.site, f"name group {named} in the Child SA's proposal, as {asks.title} does"),
            Remedy(asks.site, "or do without PFS: then who learns the IKE SA's keys can read all traffic"),
        ],
        [end.sheet_at("esp_proposal.0.group", "esp_proposal.0") for end in picture.ends],
        {"differs": ["group"], asks.site: list(groups[0] or groups[1]), lacks.site: []},
    )


RULE = Rule(SPEC, judge)
