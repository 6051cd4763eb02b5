"""The lifetimes of the Child SA differ."""

from __future__ import annotations

from stomion.diagnosis.agreed import lifetimes
from stomion.diagnosis.spec import Context, Spec, sheet_places
from stomion.model.finding import Certainty, Finding, Remedy, Stage

SPEC = Spec(
    code="child-lifetime-differs",
    stage=Stage.CHILD,
    title="Child SA lifetimes differ",
    means="Lifetimes need not be the same: the end with the shorter one renews. With IKEv1 the ends may hold different views of what is alive.",
    decided="Arithmetic on both sheets.",
    example="Quayhead renews its Child SA after 28,800 s, Marram after 3,600 s.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    left, right = context.picture.ends
    mine, theirs = lifetimes(left.child_proposals), lifetimes(right.child_proposals)
    if not mine or not theirs or mine == theirs:
        return None
    first = left if mine < theirs else right
    return SPEC.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} gives its Child SA {mine:,} s, {right.title} {theirs:,} s; {first.title} will renew first.",
        [
            Remedy(
                context.picture.other(first).site, f"set {min(mine, theirs)} s as well, where the ends should be equal"
            )
        ],
        sheet_places(context),
        {left.site: mine, right.site: theirs},
    )
