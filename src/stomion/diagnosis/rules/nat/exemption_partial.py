"""The exemption covers only a part."""

from __future__ import annotations

from stomion.diagnosis.rules.nat.family import exemption_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="exemption-partial",
    stage=Stage.NAT,
    title="The exemption covers only a part",
    means="Some packets between the two LANs are exempt from translation and others are not: some hosts or services work and some do not.",
    decided="The set of all packets between the two LANs is divided by the rules; a part is exempt and a part translated.",
    example="At Eelgrass only 10.70.0.0/23 is exempt; the rest of 10.70.0.0/22 is translated.",
)


def judge(context: Context) -> Finding | None:
    return exemption_fault(context, SPEC, "partial")
