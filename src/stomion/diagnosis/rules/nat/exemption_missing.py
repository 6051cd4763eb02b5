"""Tunnel traffic is translated."""

from __future__ import annotations

from stomion.diagnosis.rules.nat.family import exemption_fault
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="exemption-missing",
    stage=Stage.NAT,
    title="Tunnel traffic is translated",
    means="Packets for the far side are translated before the tunnel sees them, so that its selectors no longer fit: they go out in clear or are thrown away. There is no rule that exempts them.",
    decided="The translation rules at the gateway are gone through in order for every packet between the two LANs, or for those that tests tried; a rule that translates comes first, and no other rule exempts any of them. A destination translation that sends a failed test to another host counts alike.",
    example="Quayhead translates what goes to Marram: nothing exempts 10.96.0.0/20 to 10.66.0.0/21.",
)


def judge(context: Context) -> Finding | None:
    return exemption_fault(context, SPEC, "missing")
