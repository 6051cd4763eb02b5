"""Packets arrive changed."""

from __future__ import annotations

from stomion.diagnosis.rules.carriage.thrown_away import by_lists, by_packets, thrown_away
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.model.finding import Finding, Stage

SPEC = Spec(
    code="integrity-failures",
    stage=Stage.CARRIAGE,
    title="Packets fail their integrity check",
    means="ESP packets arrive with other bytes than they were sent with: something on the way changes or damages them, or the two ends do not use the same keys.",
    decided="An SA's count of integrity errors rises between two readings by more than a stray few, against the packets it opened. Or both ends' captures are compared packet by packet, by SPI and sequence number.",
    example="Marram throws 33 of Quayhead's packets away as changed on the way.",
    explains=frozenset({"packet-loss", "path-outage", "test-fails-unexplained", "esp-lost-in-path"}),
)


def judge(context: Context) -> Finding | None:
    remedy = "look for what rewrites or damages packets: a translation helper, a faulty line or card; capture ESP at both ends and compare"
    changed = "as changed on the way (integrity check)"
    counted = thrown_away(context, SPEC, "integrity", changed, remedy) or by_lists(
        context, SPEC, "integrity", changed, remedy
    )
    words = "with other bytes than they left with, under the same sequence number"
    return counted or by_packets(context, SPEC, "changed", words, remedy)


RULE = Rule(SPEC, judge)
