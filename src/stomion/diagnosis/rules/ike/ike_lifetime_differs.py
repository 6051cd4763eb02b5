"""The lifetimes of the IKE SA differ."""

from __future__ import annotations

from stomion.diagnosis.agreed import lifetime_difference
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage
from stomion.tunnel.settings import Layer

SPEC = Spec(
    code="ike-lifetime-differs",
    stage=Stage.IKE,
    title="IKE SA lifetimes differ",
    means="Lifetimes need not be the same: the end with the shorter one renews. With IKEv1 the ends may hold different views of what is alive.",
    decided="Arithmetic on both sheets.",
    example="Quayhead renews its IKE SA after 28,800 s, Marram after 3,600 s.",
    caution=True,
)


def judge(context: Context) -> Finding | None:
    return lifetime_difference(context, SPEC, Layer.IKE, "IKE SA")


RULE = Rule(SPEC, judge)
