"""Packets arrive at the far end's gateway, and nothing is sent back into the tunnel."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.carriage import ENOUGH
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.counted import around_failures, places

SPEC = Spec(
    code="one-way-return",
    stage=Stage.CARRIAGE,
    title="Nothing is sent back into the tunnel",
    means="One end's packets are opened at the other end's gateway, and no answer enters the tunnel there: the host does not answer, has no "
    "way back, or a route, filter or translation at that end takes the answers elsewhere.",
    decided="Both ends' counters are read before and after tests that fail: one end's packets out and the other's in rise, the other's out "
    "stands still, and no table explains it.",
    example="20 packets of Quayhead arrive at Marram, which sends none back into the tunnel.",
    leftover=True,
    explains=frozenset({"test-fails-unexplained"}),
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    for found in around_failures(context.picture):
        mine, theirs = found.mine, found.theirs
        if theirs is None or theirs.back < ENOUGH or theirs.out or (mine is not None and mine.out < ENOUGH):
            continue
        start, other = found.end, found.other
        return SPEC.finding(
            [other.site],
            Certainty.LIKELY,
            f"{theirs.back} packets of {start.title} arrive in {other.title}'s SA, and {other.title} sends none back into the tunnel.",
            [
                Remedy(
                    other.site,
                    f"see whether {found.attempts[0].to} answers and has a way back, and whether a route, filter or translation takes the answers past the tunnel",
                )
            ],
            [*places(other), *places(start), *(a.where for a in found.attempts)],
            {"sent": found.sent, "arrived": theirs.back, "answered": 0},
        )
    return None


RULE = Rule(SPEC, judge)
