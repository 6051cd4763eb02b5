"""For how much of the time that was seen a tunnel was up."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.model.event import What
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.up import up_at


@dataclass(frozen=True, slots=True)
class Uptime:
    """Seconds from an end's first Child SA to the last moment of which it tells, those of them in which one stood, and how often it was
    lost."""

    seen: float
    up: float
    breaks: int

    @property
    def share(self) -> float:
        """Between 0 and 1."""
        return self.up / self.seen if self.seen > 0 else 1.0


def uptime_of(picture: Picture) -> Uptime | None:
    """By the end that was watched the longest; None where no log tells of a Child SA with its time, or where another tunnel joins the same
    networks, whose lines can't always be told apart."""
    if picture.beside:
        return None
    found = [u for end in picture.ends if (u := _of_end(end)) is not None]
    return max(found, key=lambda u: u.seen, default=None)


_ENDED = frozenset({What.IKE_DOWN, What.CHILD_DOWN, What.DELETED_BY_PEER})
_LOST = frozenset({What.PEER_LOST, What.GAVE_UP})


def stood_when_read(picture: Picture, end: End) -> bool:
    """Was a Child SA in place at an end when its routes were read? By its log where the moment is known, else by what is known last."""
    at = end.tables.read_at if end.tables is not None else None
    times = [e.at for e in end.events if e.at is not None]
    if at is None or not times or not min(times) <= at <= max(times):
        return up_at(picture, end)
    return next((up for when, up in reversed(_moments(end)) if when <= at), False)


def _moments(end: End) -> list[tuple[float, bool]]:
    """When a Child SA came up (True), and when it was lost (False)."""
    told = [(e.at, e.what is What.CHILD_UP) for e in end.events if e.what in _LOST or e.what is What.CHILD_UP]
    if end.story.child_up is None:
        # A deletion before the last is mostly a renewal's.
        told += [(e.at, False) for e in [e for e in end.events if e.what in _ENDED][-1:]]
    return sorted((at, up) for at, up in told if at is not None)


def _of_end(end: End) -> Uptime | None:
    moments = _moments(end)
    begun = next((at for at, up in moments if up), None)
    times = [e.at for e in end.events if e.at is not None]
    until = max([*times, *end.readings.times[-1:]], default=begun)
    if begun is None or until is None or until <= begun:
        return None
    down, breaks, since = 0.0, 0, None
    for at, up in moments:
        if up and since is not None:
            down, since = down + at - since, None
        elif not up and since is None and at >= begun:
            since, breaks = at, breaks + 1
    if since is not None:
        down += until - since
    return Uptime(until - begun, until - begun - down, breaks)
