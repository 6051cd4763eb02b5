"""Both ends agreed, and a gateway could not install the SA."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Finding, Remedy, Stage

SPEC = Spec(
    code="sa-install-failed",
    stage=Stage.CHILD,
    title="The agreed SA could not be installed",
    means="The negotiation succeeded, but the gateway's kernel or forwarding plane refused the SA or its policy. The peer may "
    "only hear TS_UNACCEPTABLE or a delete, though selectors and proposals are fine.",
    decided="The gateway's own log has the error.",
    example="Marram agreed on the Child SA and could not install it.",
    explains=frozenset({"deleted-by-peer"}),
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.INSTALL_FAILED:
        return None
    by = cause.by
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(by.site,),
        certainty=context.certainty(),
        summary=f"{by.title} agreed on the Child SA and could not install it.",
        remedies=(
            Remedy(
                by.site,
                "look at the error in its log: an algorithm its kernel lacks, or a policy that is there already",
            ),
        ),
        evidence=context.evidence(),
    )


RULE = Rule(SPEC, judge)
