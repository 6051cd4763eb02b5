"""One end sends into an SA that the other end no longer has."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.carriage import ENOUGH
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.counted import Counted, around_failures, places

SPEC = Spec(
    code="sa-at-one-end",
    stage=Stage.CARRIAGE,
    title="The SA stands at one end only",
    means="One end goes on sending into an SA that the other end lost or deleted, by a restart or a crash, and did not tell of: everything sent is lost until the SA expires or is given up.",
    decided="Both ends' counters were read while tests passed; later the other end lists no such SA any more, while this end's counter of packets out goes on rising and nothing comes in.",
    example="Quayhead sends 50 packets into an SA that Marram no longer lists.",
    explains=frozenset({"test-fails-unexplained", "esp-lost-in-path", "one-way-return"}),
)


def judge(context: Context) -> Finding | None:
    if context.cause is not None and not context.cause.declared:
        return None
    for found in around_failures(context.picture):
        if found.mine is None or found.mine.out < ENOUGH or found.mine.back or not _gone(found):
            continue
        start, other = found.end, found.other
        return SPEC.finding(
            [other.site],
            Certainty.LIKELY,
            f"{start.title} sends {found.mine.out} packets into an SA that {other.title} no longer lists.",
            [
                Remedy(start.site, "end the SA, so that it is negotiated anew"),
                Remedy(
                    other.site,
                    "see why it lost its SA without a word: a restart or a crash; let both ends watch their peer",
                ),
            ],
            [*places(start), *places(other), *(a.where for a in found.attempts)],
            {"sent": found.mine.out},
        )
    return None


def _gone(found: Counted) -> bool:
    """Do the other end's readings stop before the attempts, while this end's go on?"""
    theirs = found.other.readings.times
    times = [a.at for a in found.attempts if a.at is not None]
    mine = {track.sa.partition("/")[2] for track in found.end.readings.tracks}
    shared = {track.sa.partition("/")[0] for track in found.other.readings.tracks} & mine
    return bool(shared and theirs and times) and max(theirs) < min(times)


RULE = Rule(SPEC, judge)
