"""Authentication was refused, and nothing tells whether for the key or for the identity."""

from __future__ import annotations

from stomion.diagnosis.rules.ike.versions import methods
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="authentication-failed",
    stage=Stage.IKE,
    title="Authentication refused, reason not told",
    means="The peer answered the authentication with a refusal. The notify AUTHENTICATION_FAILED is the same for a wrong "
    "key, a wrong identity and a rejected certificate.",
    decided="The refusal was seen in the asking end's log, or on the wire as an answer with room for a single notify; the "
    "refusing end's own log, which would tell the reason, is not there or does not say.",
    example="Marram refused to authenticate Quayhead and did not say why: the key or the identity is wrong.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.AUTH_REFUSED or methods(context):
        return None
    by, asker = cause.by, context.asker
    first = context.picture.version == 1
    wrong, remedy, candidates = _may_be_wrong(context, by.title)
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(context.picture.left.site, context.picture.right.site),
        certainty=Certainty.LIKELY if cause.refusal else Certainty.POSSIBLE,
        summary=f"{by.title} refused to authenticate {asker.title} and did not say why: {wrong} is wrong.",
        detail=f"One look decides: the log of {by.title} at the moment of the refusal."
        + (f" With IKEv1 it may also be set to the other exchange mode than {asker.title} asks in." if first else ""),
        remedies=(
            Remedy(by.site, f"read its log at that moment: {_TOLD[wrong]}".replace("ASKER", asker.title)),
            Remedy(asker.site, remedy),
        ),
        evidence=context.evidence(),
        facts={
            "attempts": context.attempts(),
            "candidates": candidates + (["ike-mode-mismatch"] if first else []),
        },
    )


_KEY, _CERTIFICATE = "the key or the identity", "the certificate or the identity"
_TOLD = {
    _KEY: "it names the identity it looked for, or a key that did not match ASKER's",
    _CERTIFICATE: "it names the identity it looked for, or what it has against ASKER's certificate",
}


def _may_be_wrong(context: Context, refuser: str) -> tuple[str, str, list[str]]:
    """(what, the asking end's remedy, the codes of each) by the method that the asking end is set to, or the refuser where only that is
    known."""
    assert context.cause is not None
    sheets = [e.sheet for e in (context.asker, context.cause.by) if e.sheet is not None and e.sheet.auth]
    if sheets and sheets[0].auth == "certificate":
        remedy = "check the identity it sends, and its certificate: the dates, the names, who signed it"
        return _CERTIFICATE, remedy, ["certificate-rejected", "identity-mismatch"]
    codes = ["key-mismatch", "identity-mismatch"] + ([] if sheets else ["certificate-rejected"])
    return _KEY, f"check the identity it sends, then enter the pre-shared key for {refuser} again", codes


RULE = Rule(SPEC, judge)
