"""Whether a tunnel is up, and since when: the one place that answers it.

Three things tell: what a log says of its SAs, ESP in a capture, and counters, which only an SA has. A log's last word counts; ESP one way
proves an SA at one end, both ways that both ends have it.
"""

from __future__ import annotations

from dataclasses import dataclass

from stomion.model.event import Event
from stomion.tunnel.picture import End, Picture


@dataclass(frozen=True, slots=True)
class Up:
    """`logged` is the first line of either end that tells of an SA, `child` the latest that tells of a Child SA which still stands."""

    logged: Event | None
    child: Event | None
    esp_one_way: bool
    esp_both_ways: bool
    counted: bool

    @property
    def now(self) -> bool:
        """Is there a sign that a Child SA is in place?"""
        return self.child is not None or self.counted or self.esp_both_ways

    @property
    def ever(self) -> bool:
        """Was any SA there at any time?"""
        return self.logged is not None or self.esp_one_way or self.counted

    @property
    def since(self) -> float | None:
        """The moment its Child SA came up; None where no line with a time tells."""
        return self.child.at if self.child is not None else None


def up_of(picture: Picture) -> Up:
    """From both ends' evidence together; worked out once for a picture."""
    known = picture.worked_out.get("up")
    if not isinstance(known, Up):
        known = picture.worked_out["up"] = _up(picture)
    return known


def _up(picture: Picture) -> Up:
    stories = [e.story for e in picture.ends]
    logged = [e for s in stories for e in (s.ike_ever, s.child_ever) if e is not None]
    standing = [s.child_up for s in stories if s.child_up is not None]
    return Up(
        min(logged, key=_moment, default=None),
        max(standing, key=_moment, default=None),
        bool(picture.esp_out or picture.esp_back),
        bool(picture.esp_out and picture.esp_back),
        any(e.has_counters for e in picture.ends),
    )


def _moment(event: Event) -> float:
    return event.at or 0.0


def up_at(picture: Picture, end: End) -> bool:
    """Is there a sign that a Child SA is in place at this end? What its own log tells last counts; the other end may not know yet."""
    story = end.story
    if story.child_ever is not None or story.restarts:
        return story.child_up is not None
    return up_of(picture).now


def proven_at(picture: Picture, end: End) -> bool:
    """Do packets or counters prove a Child SA at this end, whatever its log says?"""
    return bool((picture.esp_out and picture.esp_back) or end.has_counters)
