"""The peer's own address lies inside the selectors."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, sheet_place
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.ranges import common, is_any, spans, written

SPEC = Spec(
    code="peer-inside-selectors",
    stage=Stage.SELECTORS,
    title="The selectors hold the peer's own address",
    means="The range to be protected contains the public address that the tunnel itself is sent to, so that its packets may be sent into the tunnel again.",
    decided="The sheet's remote range holds the peer's address and is not the range of all addresses; traffic tests have not got through.",
    example="Quayhead's remote range 198.51.100.0/24 holds Marram's address 198.51.100.34.",
)


def judge(context: Context) -> Finding | None:
    picture = context.picture
    if any(t.passed and t.expected for t in picture.tests) or (
        context.cause is not None and not context.cause.declared
    ):
        return None
    for end in picture.ends:
        other = picture.other(end)
        if end.sheet is None or end.sheet.style == "route":
            continue
        wide = [
            t for t in end.sheet.remote_ts if not any(is_any(s) for s in spans([t])) and common([t], other.addresses)
        ]
        if not wide:
            continue
        held = written(common(wide, other.addresses))
        return SPEC.finding(
            [end.site],
            Certainty.PROVEN,
            f"{end.title}'s remote range {wide[0]} holds {other.title}'s own address {held[0].split('/')[0]}.",
            [Remedy(end.site, "leave the peer's public address out of the range, or exempt IKE and ESP from it")],
            [sheet_place(end)],
            {"range": wide[0]},
        )
    return None


RULE = Rule(SPEC, judge)
