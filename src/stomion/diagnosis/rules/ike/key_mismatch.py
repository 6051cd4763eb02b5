"""The pre-shared keys differ."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.cause import Cause, marks_differ

SPEC = Spec(
    code="key-mismatch",
    stage=Stage.IKE,
    title="The pre-shared keys differ",
    means="Both ends agreed on algorithms and exchanged keys, but the pre-shared key of one end is not that of the other.",
    decided="In IKEv2 the checking end's log says that the proof of the key did not match. In IKEv1 main mode nobody says "
    "so: the first encrypted message makes no sense after decryption (absurd lengths, unknown payloads), again at every "
    "repetition, and then the peer is silent.",
    example="The pre-shared keys differ: Driftwood could not make sense of Quayhead's first encrypted message.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    if cause is None or cause.what not in (What.KEY_REFUSED, What.UNDECRYPTABLE):
        return None
    if cause.what is What.UNDECRYPTABLE and context.picture.version == 2:
        return None
    asker = context.asker
    return Finding(
        code=SPEC.code,
        stage=SPEC.stage,
        sides=(context.picture.left.site, context.picture.right.site),
        certainty=_certainty(context, cause),
        summary=_summary(context, cause),
        remedies=tuple(
            Remedy(e.site, f"enter the pre-shared key for {context.picture.other(e).title} again, the same as there")
            for e in (cause.by, asker)
        ),
        evidence=context.evidence() or tuple(e.where for e in asker.story.silence[-2:]),
        facts={"attempts": context.attempts()},
    )


def _only_silence(cause: Cause) -> bool:
    """Does nothing but the other end's silence tell of it?"""
    return (
        cause.what is What.UNDECRYPTABLE and cause.refusal is None and cause.negotiation is None and not cause.declared
    )


def _certainty(context: Context, cause: Cause) -> Certainty:
    if cause.what is What.KEY_REFUSED:
        if cause.declared or cause.explained:
            return Certainty.PROVEN
        return Certainty.PROVEN if not cause.heard else Certainty.LIKELY
    if marks_differ(*context.picture.ends):
        return Certainty.PROVEN
    if _only_silence(cause):
        return Certainty.POSSIBLE
    both = {e.site for e, r in cause.all if r.what is What.UNDECRYPTABLE}
    return Certainty.PROVEN if len(both) == 2 else Certainty.LIKELY


def _summary(context: Context, cause: Cause) -> str:
    by, asker = cause.by.title, context.asker.title
    if cause.declared or cause.explained or marks_differ(cause.by, context.asker):
        marks = [f"{e.title}'s key has the mark {e.sheet.key_mark}" for e in (cause.by, context.asker) if e.sheet]
        return "The pre-shared keys differ: " + ", ".join(marks) + "."
    if _only_silence(cause):
        return f"{by} falls silent at {asker}'s first encrypted message, after the proposal was agreed: most often the pre-shared keys differ."
    if cause.what is What.UNDECRYPTABLE:
        return f"The pre-shared keys differ: {by} could not make sense of {asker}'s first encrypted message."
    return f"The pre-shared keys differ: {asker} could not prove to {by} that it has the same key."


RULE = Rule(SPEC, judge)
