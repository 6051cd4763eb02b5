"""IKEv1 aggressive mode with a pre-shared key."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="aggressive-mode-with-key",
    stage=Stage.IKE,
    title="Aggressive mode with a pre-shared key",
    means="The responder's proof of the key travels unencrypted in its first answer: whoever reads it can try keys offline until one fits. "
    "Identities are readable as well.",
    decided="Both sheets are set to IKEv1 aggressive mode and a pre-shared key, or an aggressive mode exchange was captured whose agreed "
    "method is the pre-shared key.",
    example="Quayhead and Driftwood use aggressive mode with a pre-shared key.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    left, right = context.picture.ends
    sheets = [e.sheet for e in (left, right) if e.sheet is not None]
    declared = len(sheets) == 2 and all(
        s.mode == "aggressive" and s.auth in ("", "psk") and s.ike in (None, 1) for s in sheets
    )
    seen = next(
        (n for n in context.picture.negotiations if n.version == 1 and n.mode == "aggressive" and n.chosen), None
    )
    keyed = seen is not None and "pre-shared key" in seen.chosen[0].values("authentication")
    if not declared and not keyed:
        return None
    places = (
        [left.sheet_at("mode"), right.sheet_at("mode")]
        if declared
        else [seen.steps[0].where]
        if seen is not None
        else []
    )
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} and {right.title} use aggressive mode with a pre-shared key: the proof of the key can be read on the way and tried offline.",
        [Remedy(e.site, "use IKEv2, or main mode; until then a key that nobody can guess") for e in (left, right)],
        places,
    )


RULE = Rule(SPEC, judge)
