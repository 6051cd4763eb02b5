"""The refusing end has no configuration for the address that asks."""

from __future__ import annotations

from stomion.diagnosis.rules.ike.versions import modes, versions
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="no-matching-peer",
    stage=Stage.IKE,
    title="Nothing is configured for this peer",
    means="The gateway received the request and has no tunnel for the address (or the kind of request) it came from. On the "
    "wire this can look like a refused proposal.",
    decided="The refusing end's own log says that it found no configuration for the peer.",
    example="Marram has no tunnel configured for 192.0.2.10, from which Quayhead asks.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.NO_PEER or versions(context) or modes(context):
        return None
    by, asker = cause.by, context.asker
    address = asker.address or (cause.refusal.event.peer if cause.refusal else "") or "this address"
    declared = by.sheet.peer if by.sheet else ""
    known = by.sheet is not None
    open_ = (
        ""
        if known
        else "The line does not tell whether the address is what is missing, or the IKE version that was asked with."
    )
    expects = f"; it expects its peer at {declared}" if declared and declared not in asker.addresses else ""
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(by.site,),
        certainty=context.certainty() if known else Certainty.LIKELY,
        detail=open_,
        summary=f"{by.title} has no tunnel configured for {address}, from which {asker.title} asks{expects}.",
        remedies=(
            Remedy(
                by.site,
                f"set the peer address of this tunnel to {address}"
                + ("" if known else _version(context.picture.version)),
            ),
        ),
        evidence=context.evidence(),
        facts={"asked_from": address, "expects": declared},
    )


def _version(version: int | None) -> str:
    return f", and see that it takes IKEv{version}" if version else ", and see that it takes the IKE version asked with"


RULE = Rule(SPEC, judge)
