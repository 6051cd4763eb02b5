"""Packets arrive too late for the replay window."""

from __future__ import annotations

from stomion.diagnosis.rules.carriage.thrown_away import FEW, by_lists, by_packets, thrown_away
from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.esporder import WINDOW
from stomion.model.finding import Finding, Stage
from stomion.tunnel.attempts import latest

SPEC = Spec(
    code="replay-drops",
    stage=Stage.CARRIAGE,
    title="Packets are dropped by the replay check",
    means="ESP packets arrive twice, or so much later than others that the receiver's window has moved past them (RFC 4303 3.4.3): different queues or paths on the way, or duplication.",
    decided="An SA's count of replay errors rises between two readings by more than a stray few, against the packets it opened. Or pings are lost, and in the receiving end's capture many packets come in far behind newer ones of the same SPI.",
    example="Marram throws 168 of Quayhead's packets away as replayed or too late.",
    explains=frozenset({"packet-loss", "path-outage", "test-fails-unexplained", "esp-lost-in-path"}),
)


def judge(context: Context) -> Finding | None:
    remedy = "keep the tunnel's packets in one queue and on one path; else widen the replay window at the receiving end"
    late = "as replayed or too late for its window"
    counted = thrown_away(context, SPEC, "replay", late, remedy) or by_lists(context, SPEC, "replay", late, remedy)
    if counted is not None or not any(a.sent - a.received >= FEW for a in latest(context.picture) if not a.silent):
        # Without a loss the receiver's window is wide enough, however late they come.
        return counted
    return by_packets(
        context, SPEC, "late", f"{WINDOW} places or more behind newer ones, out of the smallest window", remedy
    )


RULE = Rule(SPEC, judge)
