"""Tunnel traffic is translated."""

from __future__ import annotations

from stomion.diagnosis.rules.nat.family import Exemption, exemption_finding, first_caught
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage
from stomion.space.packetwords import packets_text

SPEC = Spec(
    code="exemption-missing",
    stage=Stage.NAT,
    title="Tunnel traffic is translated",
    means="Packets for the far side are translated before the tunnel sees them, so that its selectors no longer fit: they leave unencrypted or are dropped. There is no rule that exempts them.",
    decided="The translation rules at the gateway are gone through in order for every packet between the two LANs, or for those that tests tried; a rule that translates comes first, and no other rule exempts any of them. A destination translation that sends a failed test to another host counts alike.",
    example="Quayhead translates what goes to Marram: nothing exempts 10.96.0.0/20 to 10.66.0.0/21.",
)


def judge(context: Context) -> Finding | None:
    item = first_caught(context, Exemption.MISSING)
    if item is None:
        return None
    far = context.picture.other(item.found.end).title
    remedy = f"exempt {packets_text(item.packets)} from translation, above {item.rule.label}"
    summary = f"{item.found.end.title} translates what goes to {far} ({item.rule.label}); nothing exempts it."
    return exemption_finding(context, SPEC, item, summary, remedy)


RULE = Rule(SPEC, judge)
