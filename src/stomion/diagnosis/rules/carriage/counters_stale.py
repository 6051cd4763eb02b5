"""Readings of counters that say nothing of the time in question."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from stomion.diagnosis.spec import Context, Rule, Spec
from stomion.measure.columns import stands_anywhere
from stomion.measure.counters import Track, moved
from stomion.measure.series import UNKNOWN
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.tunnel.attempts import Attempt, failing, passing
from stomion.tunnel.counted import AROUND_S, places
from stomion.tunnel.picture import End, Picture
from stomion.vocabulary.durations import span_text
from stomion.vocabulary.times import clock_text

SPEC = Spec(
    code="counters-stale",
    stage=Stage.CARRIAGE,
    title="The counters tell nothing of this time",
    means="The counters were read long before or after what failed, or a reading was handed out again with a new time while traffic went: "
    "a poller served it from its cache. What they show proves nothing about the tunnel then.",
    decided="No reading lies within two minutes of a test that fails; or two readings in a row are alike although answered tests, or the "
    "other end's counters, moved between them.",
    example="Marram's counters stand still from 09:14 to 09:16 while 100 pings are answered.",
    caution=True,
)
MANY = 10
"""Packets that must have gone meanwhile."""


def judge(context: Context) -> Finding | None:
    picture = context.picture
    if context.cause is not None and not context.cause.declared:
        return None
    return _served_again(picture) or _far_away(picture)


def _far_away(picture: Picture) -> Finding | None:
    """A test that fails, and all readings far from it."""
    late = [a for a in failing(picture) if a.at is not None]
    ends = [e for e in picture.ends if e.readings.times]
    if not late or not ends:
        return None
    attempt = late[-1]
    gaps = {e.site: _gap(e, attempt) for e in ends}
    if min(gaps.values()) <= AROUND_S:
        return None
    end = min(ends, key=lambda e: gaps[e.site])
    return SPEC.finding(
        [e.site for e in ends],
        Certainty.PROVEN,
        f"The counters of {' and '.join(e.title for e in ends)} were read {span_text(gaps[end.site])} away from {attempt.says}: they prove "
        "nothing about it.",
        [Remedy(e.site, "read the SA's counters right before and right after the test is tried again") for e in ends],
        [p for e in ends for p in places(e)] + [attempt.where],
        {"gap_s": round(gaps[end.site], 1)},
    )


def _gap(end: End, attempt: Attempt) -> float:
    return min(abs(at - (attempt.at or 0.0)) for at in end.readings.times)


def _served_again(picture: Picture) -> Finding | None:
    """Two readings in a row that are alike, with traffic between them by the other end's counters or by answered tests."""
    for end, other in (picture.ends, picture.ends[::-1]):
        for track in end.readings.tracks:
            for since, until in _still(track):
                went = _went(picture, other, since, until)
                if went >= MANY:
                    return _stands_still(end, since, until, went)
    return None


def _still(track: Track) -> Iterator[tuple[float, float]]:
    """(from, to) of two readings in a row that are alike, before the last that differs."""
    if not stands_anywhere(track.out):
        return
    last = len(track.at) - 1
    while last and (track.out[last], track.back[last]) == (track.out[last - 1], track.back[last - 1]):
        last -= 1
    alike = [n for n, (before, after) in enumerate(pairwise(track.out[:last])) if before == after]
    for n in alike:
        if track.back[n] == track.back[n + 1] and UNKNOWN != track.at[n] != track.at[n + 1]:
            yield track.at[n], track.at[n + 1]


def _went(picture: Picture, other: End, since: float, until: float) -> int:
    """Packets that certainly went between two moments: those that the other end counted inside them, or answers to tests."""
    counted = moved(other.readings.inside(since, until))
    answered = sum(a.received for a in passing(picture) if a.at is not None and a.last is None and since < a.at < until)
    return max(min(counted.out, counted.back) if counted is not None else 0, answered)


def _stands_still(end: End, since: float, until: float, went: int) -> Finding:
    return SPEC.finding(
        [end.site],
        Certainty.LIKELY,
        f"{end.title}'s counters stand still from {clock_text(since)} to {clock_text(until)} while {went} packets went: the reading was handed "
        "out again.",
        [Remedy(end.site, "read the counters from the gateway itself, past the poller's cache")],
        list(places(end)),
        {"went": went},
    )


RULE = Rule(SPEC, judge)
