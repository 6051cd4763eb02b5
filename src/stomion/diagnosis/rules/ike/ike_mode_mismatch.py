"""IKEv1: one end uses main mode, the other aggressive mode."""

from __future__ import annotations

from stomion.diagnosis.rules.ike.versions import modes
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Finding, Remedy, Stage

SPEC = Spec(
    code="ike-mode-mismatch",
    stage=Stage.IKE,
    title="Main mode against aggressive mode",
    means="IKEv1 knows two ways to authenticate; both ends must be set to the same.",
    decided="The refusing end's log says that it allows only the other mode, or both ends' sheets name different modes.",
    example="Quayhead asks in main mode; Driftwood allows only aggressive mode.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what not in (What.MODE_REFUSED, What.NO_PEER):
        return None
    known = modes(context)
    if cause.what is What.NO_PEER and known is None:
        return None
    by, asker = cause.by, context.asker
    asked = (cause.refusal.event.mode if cause.refusal else None) or (known[1] if known else "")
    wants = known[0] if known else "the other"
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(context.picture.left.site, context.picture.right.site),
        certainty=context.certainty(),
        summary=f"{asker.title} asks in {asked or 'one'} mode; {by.title} allows only {wants} mode.",
        remedies=tuple(
            Remedy(end.site, f"use main mode for this tunnel, as at {context.picture.other(end).title}")
            for end, mode in ((by, wants), (asker, asked))
            if mode != "main"
        )
        or (
            Remedy(by.site, "use main mode for this tunnel"),
            Remedy(asker.site, "use main mode for this tunnel, as there"),
        ),
        evidence=context.evidence(),
        facts={by.site: wants, asker.site: asked},
    )


RULE = Rule(SPEC, judge)
