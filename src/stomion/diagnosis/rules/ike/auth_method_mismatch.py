"""One end authenticates with a pre-shared key, the other with certificates."""

from __future__ import annotations

from stomion.diagnosis.rules.ike.versions import methods
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Finding, Remedy, Stage

SPEC = Spec(
    code="auth-method-mismatch",
    stage=Stage.IKE,
    title="The ends authenticate in different ways",
    means="One end proves itself with a pre-shared key where the other wants a certificate, or the reverse.",
    decided="The refusing end's log names the authentication method as its reason, or both sheets name different methods and "
    "authentication failed.",
    example="Marram wants a certificate; Quayhead authenticates with a pre-shared key.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what not in (What.METHOD_REFUSED, What.AUTH_REFUSED):
        return None
    declared = methods(context)
    if declared is None and cause.what is What.AUTH_REFUSED:
        return None
    by, asker = cause.by, context.asker
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(context.picture.left.site, context.picture.right.site),
        certainty=context.certainty(),
        summary=f"{by.title} does not accept the way in which {asker.title} authenticates.",
        remedies=tuple(
            Remedy(e.site, "authenticate with a certificate at both ends, or with the same key at both")
            for e in (by, asker)
        ),
        evidence=context.evidence(),
        facts={by.site: declared[0], asker.site: declared[1]} if declared else {},
    )


RULE = Rule(SPEC, judge)
