"""An end's counters as one running sum over all its SAs: renewed SAs go on, a count that fell began anew."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass

from stomion.measure.counters import CounterReading, Readings, rise


@dataclass(frozen=True, slots=True)
class Point:
    """What an end had sealed and opened by a moment (seconds since 1970 UTC), since its first reading; and what it had thrown away."""

    at: float
    out: int
    back: int
    replay: int = 0
    integrity: int = 0


@dataclass(frozen=True, slots=True)
class Totals:
    """`renewed` are moments at which an SA was first read that was not there before, `restarted` those at which a count fell."""

    points: tuple[Point, ...] = ()
    renewed: tuple[float, ...] = ()
    restarted: tuple[float, ...] = ()

    def at(self, moment: float) -> tuple[float, float]:
        """(out, in) at a moment, in proportion between two readings; outside them the first's or the last's."""
        times = [p.at for p in self.points]
        number = bisect_right(times, moment)
        if number == 0 or number == len(times):
            point = self.points[0 if number == 0 else -1]
            return point.out, point.back
        before, after = self.points[number - 1], self.points[number]
        share = (moment - before.at) / (after.at - before.at) if after.at > before.at else 1.0
        return before.out + share * (after.out - before.out), before.back + share * (after.back - before.back)

    @property
    def sums(self) -> tuple[int, int]:
        """(out, in) over all readings."""
        return (self.points[-1].out, self.points[-1].back) if self.points else (0, 0)


def totals_of(readings: Readings) -> Totals:
    """Readings without a time say nothing here; a reading that stands twice counts once."""
    rows = [r for r in readings if r.at is not None]
    last: dict[str, CounterReading] = {}
    points: list[Point] = []
    renewed, restarted = [], []
    out = back = replay = integrity = 0
    for row in rows:
        at = row.at or 0.0
        before = last.get(row.sa)
        if before is not None:
            fell = row.out < before.out or row.back < before.back
            out, back = out + rise(before.out, row.out), back + rise(before.back, row.back)
            replay, integrity = (
                replay + rise(before.replay, row.replay),
                integrity + rise(before.integrity, row.integrity),
            )
            if fell and rise(before.out, row.out) == row.out:
                restarted.append(at)
        elif last:
            # A new SA begins at zero: all that it shows went since the last reading.
            out, back, replay, integrity = (
                out + row.out,
                back + row.back,
                replay + row.replay,
                integrity + row.integrity,
            )
            renewed.append(at)
        last[row.sa] = row
        point = Point(at, out, back, replay, integrity)
        if points and points[-1].at == at:
            points[-1] = point
        else:
            points.append(point)
    return Totals(tuple(points), tuple(renewed), tuple(restarted))


@dataclass(frozen=True, slots=True)
class Passage:
    """One direction between two moments: packets that left and that arrived, and by how many the difference may be wrong, as the two ends
    were not read at the same moments."""

    sent: int
    arrived: int
    doubt: int

    @property
    def lost(self) -> int:
        """Packets missing beyond what the moments of reading explain."""
        missing = self.sent - self.arrived
        return missing if missing > self.doubt else 0


def passage(sender: Totals, receiver: Totals) -> Passage | None:
    """From one end's sum out to the other's sum in; None where an end has fewer than two readings."""
    if min(len(sender.points), len(receiver.points)) < len(("first", "last")):
        return None
    sent, arrived = sender.sums[0], receiver.sums[1]
    apart = abs(sender.points[0].at - receiver.points[0].at) + abs(sender.points[-1].at - receiver.points[-1].at)
    span = max(sender.points[-1].at - sender.points[0].at, 1.0)
    return Passage(sent, arrived, round(apart * sent / span))
