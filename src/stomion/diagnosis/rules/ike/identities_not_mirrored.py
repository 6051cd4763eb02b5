"""By both sheets, one end sends an identity that the other does not wait for."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.cause import differ
from stomion.tunnel.picture import End
from stomion.tunnel.up import up_of

SPEC = Spec(
    code="identities-not-mirrored",
    stage=Stage.IKE,
    title="The declared identities do not mirror each other",
    means="What one end calls itself is not what the other end waits for: authentication will be refused, whatever the key.",
    decided="Arithmetic on both ends' sheets, where both name the identity and no SA was ever seen; a refusal that was seen is identity-mismatch.",
    example="Quayhead calls itself quayhead.lanternreef.example; Marram waits for quayhead-office.lanternreef.example.",
)


def judge(context: Context) -> Finding | None:
    left, right = context.picture.ends
    seen = context.cause is not None and not context.cause.declared
    if seen or left.sheet is None or right.sheet is None or up_of(context.picture).ever:
        return None
    wrong = [(a, b) for a, b in ((left, right), (right, left)) if differ(*_pair(a, b))]
    if not wrong:
        return None
    said = " ".join(f"{a.title} calls itself {_pair(a, b)[0]}; {b.title} waits for {_pair(a, b)[1]}." for a, b in wrong)
    remedies, places = [], []
    for a, b in wrong:
        sent, awaited = _pair(a, b)
        remedies += [
            Remedy(a.site, f"set its own identity to {awaited}"),
            Remedy(b.site, f"or wait for {sent} from {a.title}"),
        ]
        places += [a.sheet_at("local_id"), b.sheet_at("remote_id")]
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        said,
        remedies,
        places,
        {a.site: {"sends": _pair(a, b)[0], "awaited": _pair(a, b)[1]} for a, b in wrong},
    )


def _pair(a: End, b: End) -> tuple[str, str]:
    """(what `a` sends, what `b` waits for from it), by their sheets."""
    assert a.sheet is not None and b.sheet is not None
    return a.sheet.local_id, b.sheet.remote_id


RULE = Rule(SPEC, judge)
