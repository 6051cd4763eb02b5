"""The identity that one end sends is not the one the other is configured for."""

from __future__ import annotations

import re

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.event import Event, What
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
    told = _told_apart(cause.refusal.event) if cause.refusal is not None else ("", "")
    expected = by.sheet.remote_id if by.sheet else told[0]
    sent = _sent(context, expected)
    if cause.refusal is not None and _OF_THE_RESPONDER.search(cause.refusal.event.text):
        return _sought(context, *told)
    called = f" that calls itself {sent}" if sent else " by the identity it sent"
    wanted = f"; it expects {expected}" if expected and expected != sent else ""
    return SPEC.finding(
        [asker.site],
        context.certainty(),
        f"{by.title} knows no peer{called}{wanted}.",
        [
            Remedy(asker.site, f"set its own identity to {expected or f'the one {by.title} expects'}"),
            Remedy(by.site, f"or expect {sent or 'the identity that was sent'} from {asker.title}"),
        ],
        context.evidence(),
        {"sent": sent, "expected": expected},
    )


_OF_THE_RESPONDER = re.compile(r"\bid(?:r|cr|ir)\b", re.IGNORECASE)
"""The identity that an initiator asks its peer for (RFC 7296 3.5, IDr)."""


def _sought(context: Context, own: str, sought: str) -> Finding:
    """The asker asks for a peer of another name than the refuser has."""
    assert context.cause is not None
    by, asker = context.cause.by, context.asker
    names = f"asks for a peer named {sought}" if sought else "asks for a peer of another name"
    is_ = f"; {by.title} is {own}" if own else f" than {by.title} has"
    return SPEC.finding(
        [asker.site],
        context.certainty(),
        f"{asker.title} {names}{is_}.",
        [
            Remedy(asker.site, f"expect {own or f'the identity that {by.title} has'} from {by.title}"),
            Remedy(by.site, f"or take {sought or 'the name that is asked for'} as its own identity"),
        ],
        context.evidence(),
        {"sought": sought, "is": own},
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
        told = _told_apart(event)
        if told[1]:
            return told[1]
        named = [i for i in event.identities if i not in own | {expected}]
        if named:
            return named[-1]
    return ""


_EXPECTS = re.compile(
    r"(?:expect\w*|allow\w*|want\w*|wait\w* for|reserved for|permitted|configured|should be|needs?|requires?|entry (?:has|says)|we (?:have|hold))"
    r"\W{0,4}(?:(?:fqdn|id|name|dn|user)\W{1,3})?(?:\w+[:=(]){0,2}['\"]?$",
    re.IGNORECASE,
)
"""Words right before an identity that make it the one that was expected."""
_DUE = re.compile(r"['\"]?\W{0,2}(?:was |is )?(?:due|expected|awaited|wanted|required)\b", re.IGNORECASE)
"""Words right after one that do."""


def _told_apart(event: Event) -> tuple[str, str]:
    """(the identity that a refusal's line says was expected, the one that came); empty where the line does not tell them apart."""
    if len(event.identities) != 2:
        return "", ""
    text, places = event.text, [(event.text.find(i), event.text.find(i) + len(i)) for i in event.identities]
    wanted = [
        bool(_EXPECTS.search(text[max(0, start - 40) : start]) or _DUE.match(text[end : end + 24]))
        for start, end in places
    ]
    if wanted == [True, False]:
        return event.identities
    return event.identities[::-1] if wanted == [False, True] else ("", "")


RULE = Rule(SPEC, judge)
