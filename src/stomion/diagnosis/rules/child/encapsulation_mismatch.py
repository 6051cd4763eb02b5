"""Tunnel mode at one end, transport mode at the other."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, last_event
from stomion.model.event import What
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="encapsulation-mismatch",
    stage=Stage.CHILD,
    title="Encapsulation modes differ",
    means="One end asks for tunnel mode and the other takes only transport mode, or the reverse.",
    decided="The refusing end's log names the mode, or both sheets name different ones.",
    example="Quayhead asks for tunnel mode; Marram takes transport mode only.",
)


def judge(context: Context) -> Finding | None:
    cause = context.cause
    left, right = context.picture.ends
    modes = [e.sheet.encapsulation if e.sheet else "" for e in (left, right)]
    clash = all(modes) and modes[0] != modes[1]
    if cause is not None and cause.what is What.ENCAPSULATION_REFUSED:
        sides, places, certainty = [left.site, right.site], context.evidence(), context.certainty()
        summary = f"{cause.by.title} refuses the encapsulation mode that {context.asker.title} asks for."
    elif clash and (cause is None or cause.declared) and last_event(left, What.CHILD_UP) is None:
        sides, places, certainty = [left.site, right.site], context.evidence(), Certainty.PROVEN
        summary = f"{left.title} is set to {modes[0]} mode; {right.title} to {modes[1]} mode."
    else:
        return None
    if clash:
        summary = f"{left.title} is set to {modes[0]} mode; {right.title} to {modes[1]} mode."
    return SPEC.finding(
        sides, certainty, summary, [Remedy(s, "set the same mode at both ends; between sites it is tunnel mode") for s in sides], places,
    )  # fmt: skip


RULE = Rule(SPEC, judge)
