"""No IKE proposal in common: what was offered, what was wanted, and the smallest change that would make them meet."""

from __future__ import annotations

from stomion.crypto.agreement import agree
from stomion.diagnosis.offers import Offers, ike_offers, named_offers, remedies_for
from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Stage
from stomion.model.proposal import Proposal
from stomion.tunnel.settings import Layer, declared_proposals

SPEC = Spec(
    code="ike-proposal-mismatch",
    stage=Stage.IKE,
    title="No IKE proposal in common",
    means="The ends could not agree on encryption, integrity, PRF and key exchange group for the IKE SA.",
    decided="The refusing end's log says so, or answers the first message with NO_PROPOSAL_CHOSEN. What it would take is "
    "read from its log, from its sheet, or from the group an INVALID_KE_PAYLOAD asks for. An INVALID_KE_PAYLOAD that is "
    "followed by a retry with the group asked for is normal and no fault.",
    example="Saltern offers group 14 only; Quayhead takes group 19 or 20. Nothing else differs.",
)
_WORDS = {"encryption": "encryption", "integrity": "integrity", "prf": "PRF", "group": "group"}


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.IKE_PROPOSAL_REFUSED:
        return None
    offers = ike_offers(context)
    certainty = _certainty(context, offers)
    refuser, asker = cause.by, context.asker
    remedies = remedies_for(offers, asker, refuser, "IKE")
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=tuple(
            e.site for e in context.picture.ends if offers.miss is None or any(r.side == e.site for r in remedies)
        ),
        certainty=certainty,
        summary=_summary(asker.title, refuser.title, offers, context.untold, certainty is Certainty.POSSIBLE),
        remedies=remedies,
        evidence=context.evidence(),
        facts=offers.facts(asker.site, refuser.site) | {"attempts": context.attempts()},
        detail=_doubt(certainty, refuser.title, _alike(context)),
    )


def _certainty(context: Context, offers: Offers) -> Certainty:
    """Proven by the refuser's word, or by arithmetic on what was offered and what its sheet takes."""
    if context.cause and not context.cause.heard:
        return Certainty.LIKELY if context.untold else Certainty.PROVEN
    if offers.differs:
        return Certainty.LIKELY
    return Certainty.POSSIBLE


def _summary(asker: str, refuser: str, offers: Offers, untold: bool, bare: bool) -> str:
    if offers.miss is None:
        named = named_offers(sorted_offers(offers)) if offers.offered else ""
        offered = f", which offers {named}" if named else ""
        if untold:
            return f"{refuser} and {asker} agree on no IKE proposal{offered and f' ({asker} offers {named})'}; which end refused is not said."
        if bare:
            return f"{refuser} refuses what {asker} offers{named and f', {named}'}: none of it fits, or it has no tunnel for this peer."
        return f"{refuser} refuses every IKE proposal of {asker}{offered}."
    if offers.combined:
        takes = listed([str(p) for p in offers.accepted[:2]])
        return f"{asker} offers {named_offers(offers.combined)}; {refuser} takes {takes}, which is none of them."
    parts = []
    for kind in offers.differs:
        word = _WORDS[kind]
        parts.append((f"{word} {listed(offers.all_offered(kind))}", f"{word} {listed(offers.all_accepted(kind))}"))
    gives = " and ".join(a for a, _ in parts)
    takes = " and ".join(b for _, b in parts)
    rest = "Nothing else differs." if len(parts) < 3 else "These are all that differ."
    only = " only" if all(len(offers.all_offered(k)) == 1 for k in offers.differs) else ""
    return f"{asker} offers {gives}{only}; {refuser} takes {takes}. {rest}"


def sorted_offers(offers: Offers) -> tuple[Proposal, ...]:
    """Strongest first, where they stand for themselves; else as they were made."""
    return offers.combined or offers.offered


def _alike(context: Context) -> bool:
    """Would both sheets agree on a proposal?"""
    ours, theirs = (declared_proposals(end, Layer.IKE) for end in context.picture.ends)
    return bool(ours and theirs and agree(ours, theirs))


def _doubt(certainty: Certainty, refuser: str, alike: bool) -> str:
    said = []
    if alike:
        said.append(
            "Both sheets share an IKE proposal: what is in force at one of the ends is not what its sheet says."
        )
    if certainty is Certainty.POSSIBLE:
        said.append(
            f"{refuser} sent a bare refusal. It may also know no configuration for this peer, or accept another IKE version; "
            f"{refuser}'s own log tells which."
        )
    return " ".join(said)


RULE = Rule(SPEC, judge)
