"""How far two ends' clocks are apart, from messages that both captured, as NTP does it: by pairs in both directions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.exchange.negotiation import Negotiation
from stomion.model.event import Event, What


@dataclass(frozen=True, slots=True)
class ClockOffset:
    """`right_ahead` seconds is how much the right end's clock is ahead of the left one's, give or take `uncertainty`.

    `both_ways` is False where messages of one direction only were seen at both ends: then the time on the way is not
    known and the true offset can be anywhere below (or above) the value.
    """

    right_ahead: float
    uncertainty: float
    samples: int
    both_ways: bool


def clock_offset(negotiations: Sequence[Negotiation], left: str, right: str) -> ClockOffset | None:
    """From the fastest message each way; None where no message was captured at both sites."""
    forth: list[float] = []
    back: list[float] = []
    for negotiation in negotiations:
        for step in negotiation.steps:
            at = {place.site: moment for moment, place in reversed(step.seen)}
            if left in at and right in at:
                gap = at[right] - at[left]
                from_left = _from_left(step.seen, left)
                (forth if from_left else back).append(gap)
    if forth and back:
        # gap forth = delay + offset, gap back = offset - delay; the fastest ones have waited least.
        low, high = max(back), min(forth)
        return ClockOffset((low + high) / 2, abs(high - low) / 2, len(forth) + len(back), True)
    if forth or back:
        best = min(forth) if forth else max(back)
        return ClockOffset(best, abs(best), len(forth) + len(back), False)
    return None


def clock_from_logs(left: Sequence[Event], right: Sequence[Event]) -> ClockOffset | None:
    """From what both logs tell of the same moments: a request is heard after it was sent, an answer after it was given.

    Only where every attempt of one end is found at the other, one for one; a log in whole seconds widens the uncertainty.
    """
    forth: list[float] = []
    back: list[float] = []
    if bool(_moments(left, _ASKS)) == bool(_moments(right, _ASKS)):
        return None
    for asker, other, asked, answered in ((left, right, forth, back), (right, left, back, forth)):
        if _moments(asker, _ASKS):
            sign = 1 if asker is left else -1
            asked += [sign * gap for gap in _gaps(_moments(asker, _ASKS), _moments(other, _HEARS))]
            answered += [sign * gap for gap in _gaps(_moments(asker, _UP), _moments(other, _UP))]
    if not forth or not back:
        return None
    low, high = max(back), min(forth)
    coarse = 1.0 if _whole_seconds(left) or _whole_seconds(right) else 0.0
    if low - high > coarse + SLACK_S:
        return None
    return ClockOffset((low + high) / 2, abs(high - low) / 2 + coarse, len(forth) + len(back), True)


SLACK_S = 0.05
"""How far bounds may contradict each other before they are not of the same moments after all."""
_ASKS, _HEARS, _UP = What.INITIATING, What.ASKED, What.IKE_UP


def _moments(events: Sequence[Event], what: What) -> list[float]:
    return [e.at for e in events if e.what is what and e.at is not None and e.layer != "child"]


def _gaps(first: list[float], second: list[float]) -> list[float]:
    """Second minus first, pair by pair; nothing where their numbers differ."""
    return [b - a for a, b in zip(first, second, strict=True)] if len(first) == len(second) else []


def _whole_seconds(events: Sequence[Event]) -> bool:
    times = [e.at for e in events if e.at is not None]
    return bool(times) and all(at == int(at) for at in times)


def _from_left(seen: Sequence[tuple[float, object]], left: str) -> bool:
    """The sender's capture stands first: `negotiation.assemble` puts it there."""
    first = seen[0][1]
    return getattr(first, "site", None) == left


def clock_words(offset: ClockOffset, left: str, right: str) -> str:
    """`Farlight's clock is 118 ms ± 11 ms ahead of Quayhead's`."""
    ahead, behind = (right, left) if offset.right_ahead >= 0 else (left, right)
    size, plus = _size(abs(offset.right_ahead)), _size(offset.uncertainty)
    if not offset.both_ways:
        return f"the clocks of {left} and {right} differ by no more than about {size}, as messages one way tell"
    if abs(offset.right_ahead) <= offset.uncertainty:
        return f"the clocks of {left} and {right} agree within {plus}"
    return f"{ahead}'s clock is {size} ± {plus} ahead of {behind}'s"


MINUTE_S = 60


def _size(seconds: float) -> str:
    if seconds < 1:
        return f"{seconds * 1000:.0f} ms"
    return f"{seconds:.1f} s" if seconds < 2 * MINUTE_S else f"{seconds / MINUTE_S:.1f} min"
