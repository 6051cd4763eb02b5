"""The identity that one end sends is not the one the other is configured for."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Finding, Remedy, Stage

SPEC = Spec(
    code="identity-mismatch",
    stage=Stage.IKE,
    title="The identity sent is not the one expected",
    means="The peer's address was known and the algorithms were agreed, but no configuration names the identity it sent.",
    decided="The refusing end's log says that it looked for this identity and found nothing, after the IKE proposal had been "
    "agreed.",
    example="Quayhead knows no peer that calls itself branch-07.lanternreef.example.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what is not What.IDENTITY_REFUSED:
        return None
    by, asker = cause.by, context.asker
    expected = by.sheet.remote_id if by.sheet else ""
    sent = _sent(context, expected)
    called = f" that calls itself {sent}" if sent else " by the identity it sent"
    wanted = f"; it expects {expected}" if expected and expected != sent else ""
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(asker.site,),
        certainty=context.certainty(),
        summary=f"{by.title} knows no peer{called}{wanted}.",
        remedies=(
            Remedy(asker.site, f"set its own identity to {expected or f'the one {by.title} expects'}"),
            Remedy(by.site, f"or expect {sent or 'the identity that was sent'} from {asker.title}"),
        ),
        evidence=context.evidence(),
        facts={"sent": sent, "expected": expected},
    )


def _sent(context: Context, expected: str) -> str:
    """The identity the asking end used: its sheet, or the refuser's log where it names both."""
    assert context.cause is not None
    asker, by = context.asker, context.cause.by
    if asker.sheet and asker.sheet.local_id and asker.sheet.local_id != expected:
        return asker.sheet.local_id
    own = {by.sheet.local_id} if by.sheet else set()
    refusal = context.cause.refusal
    for event in [refusal.event] if refusal else []:
        named = [i for i in event.identities if i not in own | {expected}]
        if named:
            return named[-1]
    return ""


RULE = Rule(SPEC, judge)
