"""Both ends' counters around what was tried: how far the packets of each direction came."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.measure.counters import Moved, moved
from stomion.measure.series import places_of
from stomion.model.provenance import Provenance
from stomion.tunnel.attempts import Attempt, failing, passing, sender
from stomion.tunnel.picture import End, Picture

AROUND_S = 120.0
"""Counters read longer than this before or after a test say nothing of it."""


@dataclass(frozen=True, slots=True)
class Counted:
    """The failing attempts of one end, and both ends' counters over their time; None where an end's say nothing of it."""

    end: End
    other: End
    attempts: tuple[Attempt, ...]
    mine: Moved | None
    theirs: Moved | None

    @property
    def sent(self) -> int:
        """Probes of the attempts."""
        return sum(a.sent for a in self.attempts)


def around_failures(picture: Picture) -> tuple[Counted, ...]:
    """For each end whose attempts are silent, all of them: what the counters of both ends did meanwhile. Where a part is answered the
    counts mix both, and tell nothing of the part that is not."""
    out = []
    answered = {a.from_left for a in passing(picture)}
    for end in picture.ends:
        silent = tuple(a for a in failing(picture) if a.silent and sender(picture, a) is end)
        if not silent or silent[0].from_left in answered:
            continue
        times = [a.at for a in silent if a.at is not None]
        since, until = (min(times), max(times)) if times else (None, None)
        other = picture.other(end)
        out.append(Counted(end, other, silent, _moved(end, since, until), _moved(other, since, until)))
    return tuple(out)


def _moved(end: End, since: float | None, until: float | None) -> Moved | None:
    """None where the readings do not enclose the attempts' time, or lie far from it."""
    found = moved(end.readings, since, until)
    if found is None or since is None or until is None or found.since is None or found.until is None:
        return found
    encloses = found.since <= since and found.until >= until
    near = since - found.since <= AROUND_S and found.until - until <= AROUND_S
    return found if encloses and near else None


def places(end: End) -> tuple[Provenance, ...]:
    """The first and the last reading of an end's counters."""
    return places_of(end.series)
