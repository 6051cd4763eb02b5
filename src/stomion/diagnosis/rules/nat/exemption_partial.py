"""The exemption covers only a part."""

from __future__ import annotations

from stomion.diagnosis.rules.nat.family import Exemption, exemption_finding, first_caught, translated_words
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage
from stomion.space.packetwords import packets_text

SPEC = Spec(
    code="exemption-partial",
    stage=Stage.NAT,
    title="The exemption covers only a part",
    means="Some packets between the two LANs are exempt from translation and others are not: some hosts or services work and some do not.",
    decided="The set of all packets between the two LANs is divided by the rules; a part is exempt and a part translated.",
    example="At Eelgrass only 10.70.0.0/23 is exempt; the rest of 10.70.0.0/22 is translated.",
)


def judge(context: Context) -> Finding | None:
    item = first_caught(context, Exemption.PARTIAL)
    if item is None:
        return None
    assert item.other is not None
    rest = translated_words(context, item.found)
    remedy = f"widen {item.other.label} to {packets_text(item.packets)}"
    summary = f"At {item.found.end.title} {item.other.label} exempts only a part; {item.rule.label} translates the rest: {rest}."
    return exemption_finding(context, SPEC, item, summary, remedy)


RULE = Rule(SPEC, judge)
