"""A certificate was not accepted."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Finding, Remedy, Stage

SPEC = Spec(
    code="certificate-rejected",
    stage=Stage.IKE,
    title="The peer's certificate was rejected",
    means="An end could not trust the certificate it was shown: expired, not yet valid, revoked, issued by an unknown "
    "authority, or not for the identity that was claimed.",
    decided="The checking end's own log says so. It may be the initiator: then the responder had already called the IKE SA "
    "established and only hears a refusal afterwards.",
    example="Farlight rejects Petrel's certificate: it is no longer valid.",
)
_REASONS = (
    (
        ("expired", "valid from", "not after", "no longer valid", "validity", "out of date"),
        "it is outside its time of validity",
    ),
    (("revoked",), "it has been revoked"),
    (
        ("untrusted", "issuer", "no trusted", "unknown ca", "self-signed", "self signed", "trust"),
        "no trusted authority vouches for it",
    ),
    (("identity", "subject", "name", "does not contain"), "it does not name the identity that was claimed"),
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.CERTIFICATE_REFUSED:
        return None
    by, asker = cause.by, context.asker
    reason = _reason(context)
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(asker.site,),
        certainty=context.certainty(),
        summary=f"{by.title} rejects {asker.title}'s certificate: {reason}.",
        remedies=(
            Remedy(asker.site, "renew or replace its certificate, from an authority that the other end trusts"),
            Remedy(by.site, "check its clock and the authorities it trusts"),
        ),
        evidence=context.evidence(),
        facts={"reason": reason},
    )


def _reason(context: Context) -> str:
    assert context.cause is not None
    lines = [r.event.text.lower() for e, r in context.cause.all if r.what is What.CERTIFICATE_REFUSED]
    for words, reason in _REASONS:
        if any(word in line for line in lines for word in words):
            return reason
    return "its log does not say why"


RULE = Rule(SPEC, judge)
