"""An end has its own and the far range in each other's place."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec, listed
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.space.ranges import common, is_any, same, spans
from stomion.tunnel.lans import behind
from stomion.tunnel.picture import End

SPEC = Spec(
    code="selectors-swapped",
    stage=Stage.SELECTORS,
    title="Own and far range are swapped",
    means="One end names the far LAN as its own and its own as the far one: a slip with one remedy. The other end has nothing to change.",
    decided="Both sheets name the same local and the same remote range; the interfaces, hosts or tables of an end show which of the two is behind it.",
    example="Marram has 10.96.0.0/20 on its own side and 10.66.0.0/21 on Quayhead's: they are swapped.",
    explains=frozenset({"selectors-not-mirrored", "subnets-overlap", "peer-inside-selectors"}),
)


def judge(context: Context) -> Finding | None:
    left, right = context.picture.ends
    if context.cause is not None and not context.cause.declared:
        return None
    a, b = left.sheet, right.sheet
    if a is None or b is None or not a.local_ts or not a.remote_ts:
        return None
    if not same(a.local_ts, b.local_ts) or not same(a.remote_ts, b.remote_ts) or same(a.local_ts, a.remote_ts):
        return None
    if any(is_any(s) for s in spans((*a.local_ts, *a.remote_ts))):
        return None
    wrong = [e for e in (left, right) if _is_swapped(e)]
    sides = wrong if len(wrong) == 1 else [left, right]
    own, far = listed(a.local_ts, "and"), listed(a.remote_ts, "and")
    named = sides[0].title if len(sides) == 1 else f"{left.title} or {right.title}"
    return SPEC.finding(
        [e.site for e in sides],
        Certainty.PROVEN if len(wrong) == 1 else Certainty.POSSIBLE,
        f"{named} has its own range and the far one swapped: both ends have {own} on their own side and {far} on the other's.",
        [Remedy(e.site, f"swap them: {far} is its own side, {own} the far one") for e in sides],
        [p for e in sides for p in (e.sheet_at("local_ts"), e.sheet_at("remote_ts"))],
        {"own": list(a.local_ts), "far": list(a.remote_ts)},
        "" if len(wrong) == 1 else "Nothing shows which LAN is behind which end; an interface with its address would.",
    )


def _is_swapped(end: End) -> bool:
    """Do its own networks lie in what it calls the far range, and not in what it calls its own?"""
    lans = behind(end)
    assert end.sheet is not None
    return bool(common(lans, end.sheet.remote_ts)) and not common(lans, end.sheet.local_ts)


RULE = Rule(SPEC, judge)
