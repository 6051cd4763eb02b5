"""A primary tunnel and its standby: what happened when one took over from the other, and which of them each end sends into."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from stomion.measure.counters import moved
from stomion.model.provenance import Provenance
from stomion.tunnel.faillog import BY_COUNTERS, loss_by_pings, moves_of_log, sends_into
from stomion.tunnel.picture import Change, End, Picture
from stomion.vocabulary.times import utc_text

MANY = 10
"""Packets that an end must have sent to count as sending."""


@dataclass(frozen=True, slots=True)
class Switch:
    """One change from the primary to the standby at a site, as its events tell: moments in seconds since 1970 UTC, None where no event
    tells. `loss` is when the link went, `detected` when the peer was given up, `up` when the standby stood, `moved` when traffic was
    sent into it, `restored` when pings were answered again; `back` is when the primary's tunnel stood again, `returned` when traffic
    went back to it. `lost` counts the probes of the outage, `lost_back` those around the return;
    `link_back` is when the link came again."""

    site: str
    loss: float | None
    detected: float
    up: float | None
    moved: float | None
    restored: float | None
    lost: int
    lost_back: int
    link_back: float | None
    back: float | None
    returned: float | None
    until: float
    """The last moment of which anything is known."""
    places: tuple[Provenance, ...]
    counted: bool = False
    """Do the standby's counters at that site show that packets were sent into it?"""
    roughly: bool = False
    """Was the moment of the move worked out from counters, which are read only now and then?"""
    doubt: float = 0.0
    """Seconds by which its spans may be off: pings are only sent so often, and where no event tells of the loss they bound it."""

    @property
    def carried(self) -> bool:
        """Did traffic go over the standby? A role that is taken alone carries nothing: pings that stay lost tell, unless counters show
        that packets were sent."""
        return self.restored is not None or not self.lost or self.counted

    def facts(self) -> dict[str, object]:
        """Milliseconds after the moment of loss, where both are known."""
        begin = self.loss
        found: dict[str, object] = {
            "loss_at": utc_text(begin), "outage_ms": _ms(begin, self.restored), "detected_after_ms": _ms(begin, self.detected),
            "negotiated_after_ms": _ms(begin, self.up), "moved_after_ms": _ms(begin, self.moved) if self.carried else None,
            "restored_after_ms": _ms(begin, self.restored), "lost": self.lost, "uncertainty_ms": round(1000 * self.doubt),
        }  # fmt: skip
        if self.link_back is not None:
            moved = _ms(self.link_back, self.returned)
            found["failback"] = {
                "negotiated_after_ms": _ms(self.link_back, self.back), "moved_after_ms": moved, "restored_after_ms": moved,
                "lost": self.lost_back,
            }  # fmt: skip
        return found


def _ms(begin: float | None, at: float | None) -> int | None:
    return round(1000 * (at - begin)) if at is not None and begin is not None else None


def pair_of(picture: Picture) -> tuple[Picture, Picture] | None:
    """(primary, standby) where this tunnel is the primary of a pair, by the sheets' roles: between the same two sites, or from two
    gateways to the same far site."""
    if _role(picture) != "primary":
        return None
    sites = {e.site for e in picture.ends}
    mates = [p for p in picture.beside if _role(p) == "standby" and sites & {e.site for e in p.ends}]
    same = [p for p in mates if {e.site for e in p.ends} == sites]
    found = same or mates
    return (picture, found[0]) if len(found) == 1 else None


def _role(picture: Picture) -> str:
    return next((e.sheet.role for e in picture.ends if e.sheet is not None and e.sheet.role), "")


def about(change: Change, one: Picture, other: Picture) -> bool:
    """Does an event tell of the first of two tunnels? At a gateway that only that one has: always; else by the name it gives."""
    if change.site not in {e.site for e in one.ends}:
        return False
    if change.site not in {e.site for e in other.ends}:
        return True
    names = {one.name, *(e.sheet.name for e in one.ends if e.sheet is not None)}
    return change.subject in names or bool(names & set(change.detail.split()))


def switches_of(primary: Picture, standby: Picture) -> Iterator[Switch]:
    """Every time that a site gave the primary up, with what followed until it was given up again."""
    known = primary.worked_out.get("switches")
    if not isinstance(known, tuple):
        known = primary.worked_out["switches"] = tuple(_switches(primary, standby))
    yield from known


def _switches(primary: Picture, standby: Picture) -> list[Switch]:
    """By the records of either site, else by their logs: of these the end's that set the standby up."""
    shared = {e.site for e in primary.ends} & {e.site for e in standby.ends}
    found: list[Switch] = []
    for end in primary.ends:
        alone = {e.site for e in standby.ends} - shared
        # What the end that both tunnels have saw is the far end's side of it.
        sites = {end.site} if end.site in shared else {end.site, *alone}
        told = {m.where: m for m in (*primary.moves, *standby.moves) if m.site in sites and m.at is not None}
        found += _of_events(primary, standby, end, sorted(told.values(), key=_moment))
    if found:
        return found
    by_logs = [_of_events(primary, standby, e, moves_of_log(primary, standby, e)) for e in primary.ends]
    return max(by_logs, key=lambda rows: (sum(s.up is not None for s in rows), len(rows)))


def _of_events(primary: Picture, standby: Picture, end: End, events: list[Change]) -> list[Switch]:
    events = sorted(events, key=_moment)
    given_up = [
        n
        for n, m in enumerate(events)
        if m.what == "peer-lost" and (about(m, primary, standby) or (not m.subject and m.site == end.site))
    ]
    rows = []
    for number, first in enumerate(given_up):
        last = given_up[number + 1] if number + 1 < len(given_up) else len(events)
        before = events[given_up[number - 1] + 1 if number else 0 : first]
        rows.append(_switch(primary, standby, end, before, events[first:last]))
    return rows


def _moment(change: Change) -> float:
    return change.at or 0.0


def _switch(primary: Picture, standby: Picture, end: End, before: list[Change], events: list[Change]) -> Switch:
    detected = _moment(events[0])
    downs = [m for m in before if m.what == "link-down" and m.site == end.site]
    by_pings = loss_by_pings(primary, detected, LONGEST_S)
    loss = _moment(downs[-1]) if downs else by_pings[0] if by_pings else None
    doubt = by_pings[1] if by_pings and not downs else 0.0
    up = _first(events, lambda m: m.what == "tunnel-up" and about(m, standby, primary))
    moves = _first(events, lambda m: _into(m, standby, primary))
    back = _first(events, lambda m: m.what == "tunnel-up" and about(m, primary, standby))
    returned = _first(events, lambda m: back is not None and _moment(m) >= _moment(back) and _into(m, primary, standby))
    restored, lost = _gap(primary, loss if loss is not None else detected)
    if moves is not None and moves.detail == BY_COUNTERS and restored is not None and _moment(moves) > restored:
        # Counters are read now and then: what they show later than the pings is no moment of it.
        moves = None
    link = _first(events, lambda m: m.what == "link-up" and m.site == end.site)
    around = (link.at, returned.at) if link is not None and returned is not None else (None, None)
    told = [m for m in (downs[-1] if downs else None, events[0], up, moves, back, returned) if m is not None]
    return Switch(
        end.site, loss, detected, up.at if up else None, moves.at if moves else None, restored, lost,
        _lost_between(primary, *around), link.at if link else None, back.at if back else None,
        returned.at if returned else None, _until(primary, standby), tuple(m.where for m in told), sends_into(standby, end.site),
        moves is not None and moves.detail == BY_COUNTERS, _interval(primary) + doubt,
    )  # fmt: skip


def _into(change: Change, one: Picture, other: Picture) -> bool:
    """Does an event tell that traffic is sent into the first of two tunnels from now on?"""
    return (
        change.what in ("role-active", "route-changed")
        and "withdrawn" not in change.detail
        and about(change, one, other)
    )


def _first(events: list[Change], fits: Callable[[Change], bool]) -> Change | None:
    return next((m for m in events if fits(m)), None)


def _gap(picture: Picture, loss: float) -> tuple[float | None, int]:
    """(when pings were answered again, how many were lost until then) after a moment of loss."""
    for series in (*picture.pings, *(s for p in picture.beside for s in p.pings)):
        rows = [
            (at, got)
            for at, got in zip(series.times, series.answered, strict=True)
            if at is not None and at >= loss - 1.0
        ]
        lost = 0
        for at, got in rows:
            if got and lost:
                return at, lost
            lost += not got
        if lost:
            return None, lost
    return None, 0


def _interval(picture: Picture) -> float:
    """Seconds between two probes of the first continuous ping."""
    for series in (*picture.pings, *(s for p in picture.beside for s in p.pings)):
        times = [at for at in series.times if at is not None]
        if len(times) > 1:
            return (times[-1] - times[0]) / (len(times) - 1)
    return 0.0


LONGEST_S = 300.0
"""Seconds between the first lost probe and the peer given up beyond which the two are not of one failure."""
RETURN_S = 2.0
"""Seconds after traffic was moved back in which a lost probe is put down to it."""


def _lost_between(picture: Picture, since: float | None, until: float | None) -> int:
    if since is None or until is None:
        return 0
    series = [*picture.pings, *(s for p in picture.beside for s in p.pings)][:1]
    rows = [(at, got) for s in series for at, got in zip(s.times, s.answered, strict=True)]
    return sum(not got for at, got in rows if at is not None and since <= at <= until + RETURN_S)


def _until(primary: Picture, standby: Picture) -> float:
    times = [at for p in (primary, standby) for s in p.pings for at in s.times if at is not None]
    times += [e.readings.times[-1] for p in (primary, standby) for e in p.ends if e.readings.times]
    times += [m.at for m in primary.moves if m.at is not None]
    return max(times, default=0.0)


def covered_by_switch(picture: Picture, begun: float) -> bool:
    """Does an outage that began at a moment belong to a failover of the pair in which this tunnel is one of the two?"""
    own = pair_of(picture)
    pairs = [own] if own is not None else []
    if _role(picture) == "standby":
        pairs += [(one, picture) for one in picture.beside if _role(one) == "primary"]
    return any(
        (s.loss or s.detected) - COVER_S <= begun <= s.detected + COVER_S for p in pairs for s in switches_of(*p)
    )


COVER_S = 2.0
"""Seconds around a loss and its detection in which a ping's gap begins that belongs to it."""


def sends_after(end: End, moment: float) -> bool:
    """Do an end's counters show, after a moment, that it sends into this tunnel as it would with all its traffic?"""
    found = moved(end.readings.inside(moment))
    return found is not None and found.out >= MANY


def carrier(primary: Picture, standby: Picture, site: str) -> Picture | None:
    """The one of the two into which an end sends in the second half of the time its counters were read; None where that is both or
    neither."""
    ends = [e for p in (primary, standby) for e in p.ends if e.site == site]
    if len(ends) < len(("primary", "standby")):
        # A gateway that only one of the two has can send into no other.
        return None
    times = [at for e in ends for at in e.readings.times]
    if not times:
        return None
    middle = (min(times) + max(times)) / 2
    sent = [found.out if (found := moved(e.readings.inside(middle))) is not None else 0 for e in ends]
    if sent[0] >= MANY and not sent[1]:
        return primary
    return standby if sent[1] >= MANY and not sent[0] else None
