"""Counters as a drawing: for each direction what one end sealed against what the other opened, over one time axis, with what happened."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

from stomion.diagnosis.runner import Diagnosis
from stomion.measure.totals import Passage, Totals, passage, totals_of
from stomion.model.finding import Status
from stomion.model.provenance import Provenance
from stomion.model.sa import Sa, SaState
from stomion.tunnel.attempts import attempts_of
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.sas import up_since
from stomion.tunnel.uptime import uptime_of
from stomion.vocabulary.durations import span_text
from stomion.vocabulary.times import clock_text

SEQUENCES = 1 << 32
"""Packets after which an SA without extended sequence numbers is used up (RFC 4303 section 3.3.3)."""


@dataclass(frozen=True, slots=True)
class Band:
    """One direction: the sums of what left and of what arrived; None for an end without readings. `says` is its reading in words."""

    sender: End
    receiver: End
    sent: Totals | None
    got: Totals | None
    flow: Passage | None
    says: str
    tone: str

    @property
    def most(self) -> int:
        """The largest value drawn."""
        return max(self.sent.sums[0] if self.sent else 0, self.got.sums[1] if self.got else 0)

    def values(self, moment: float) -> tuple[float | None, float | None]:
        """(left so far, arrived so far)."""
        return (self.sent.at(moment)[0] if self.sent else None, self.got.at(moment)[1] if self.got else None)


@dataclass(frozen=True, slots=True)
class Mark:
    """Something that happened: its moment, what, and where it is told."""

    at: float
    text: str
    tone: str
    where: Provenance | None


@dataclass(frozen=True, slots=True)
class PairRow:
    """An SA pair at both ends side by side; None for an end that does not list it."""

    left: Sa | None
    right: Sa | None

    @property
    def born(self) -> float | None:
        """When it came up, by the end that tells it first."""
        return min(
            (s.up_since for s in (self.left, self.right) if s is not None and s.up_since is not None), default=None
        )

    @property
    def any(self) -> Sa:
        """The one that is there."""
        found = self.left or self.right
        assert found is not None
        return found


@dataclass(frozen=True, slots=True)
class CountersDrawing:
    """`since` and `until` bound the readings; `errors`, `ahead` and `up` are sentences about what was thrown away, what is to come, and
    since when it is up."""

    picture: Picture
    since: float
    until: float
    bands: tuple[Band, Band]
    marks: tuple[Mark, ...]
    pairs: tuple[PairRow, ...]
    errors: tuple[str, ...]
    ahead: tuple[str, ...]
    up: tuple[str, ...] = ()

    def mark_near(self, moment: float, within: float) -> Mark | None:
        """The mark nearest to a moment."""
        near = [m for m in self.marks if abs(m.at - moment) <= within]
        return min(near, key=lambda m: abs(m.at - moment), default=None)


def counters_of(diagnosis: Diagnosis) -> CountersDrawing | None:
    """None where no end's counters were read."""
    picture = diagnosis.picture
    left, right = (totals_of(end.readings) for end in picture.ends)
    points = [*left.points, *right.points]
    pairs = tuple(_pairs(picture))
    if not points:
        return None
    bands = (_band(picture.left, picture.right, left, right), _band(picture.right, picture.left, right, left))
    since, until = min(p.at for p in points), max(p.at for p in points)
    return CountersDrawing(
        picture, since, max(until, since + 1.0), bands, _in_order(_marks(picture, left, right, pairs, since, until)),
        pairs,
        tuple(_errors(picture, left, right)), tuple(_ahead(picture, left, right)), tuple(_up(diagnosis)),
    )  # fmt: skip


def _band(sender: End, receiver: End, sent: Totals, got: Totals) -> Band:
    flow = passage(sent, got)
    says, tone = _says(sender, receiver, sent, got, flow)
    return Band(sender, receiver, sent if sent.points else None, got if got.points else None, flow, says, tone)


def _says(sender: End, receiver: End, sent: Totals, got: Totals, flow: Passage | None) -> tuple[str, str]:
    if flow is None:
        lacking = [e.title for e, t in ((sender, sent), (receiver, got)) if len(t.points) < len(("first", "last"))]
        return f"{' and '.join(lacking)} read once or never: no difference to tell", "muted"
    if not flow.sent and not flow.arrived:
        return f"{sender.title} sends nothing into the tunnel", "doubt"
    if flow.sent and not flow.arrived:
        return "nothing of it arrives", "change"
    since = _silent_since(sent, got)
    if flow.lost and since is not None:
        return f"nothing arrives since {clock_text(since)[:8]}; {flow.lost:,} lost", "change"
    if flow.lost:
        share = 100 * flow.lost / flow.sent
        return f"{flow.lost:,} lost, {share:.1f} %" + (f" ± {flow.doubt:,}" if flow.doubt else ""), "change"
    return "all of it arrives" + (f", give or take {flow.doubt:,}" if flow.doubt else ""), "proven"


def _in_order(marks: Iterator[Mark]) -> tuple[Mark, ...]:
    return tuple(sorted(marks, key=lambda m: m.at))


def _silent_since(sent: Totals, got: Totals) -> float | None:
    """The last moment at which anything came in, where the sender's count rose at two later readings and more."""
    arrived = [after.at for before, after in pairwise(got.points) if after.back > before.back]
    later = [
        after.at
        for before, after in pairwise(sent.points)
        if after.out > before.out and after.at > max(arrived, default=0.0)
    ]
    return arrived[-1] if arrived and len(later) >= len(("once", "again")) else None


def _marks(
    picture: Picture, left: Totals, right: Totals, pairs: tuple[PairRow, ...], since: float, until: float
) -> Iterator[Mark]:
    slack = 0.02 * (until - since) + 1.0

    def inside(at: float | None) -> bool:
        return at is not None and since - slack <= at <= until + slack

    for end, totals in ((picture.left, left), (picture.right, right)):
        for at in totals.restarted:
            yield Mark(at, f"{end.title} counts from zero again", "doubt", None)
    born = sorted(((pair.born, pair.any) for pair in pairs if pair.born is not None), key=lambda row: row[0])
    for number, (at, sa) in enumerate(born):
        if inside(at):
            yield Mark(at, "SA up" if number == 0 else "rekey", "source", sa.where)
    for attempt in attempts_of(picture):
        if inside(attempt.at) and attempt.last is None:
            service = "ping" if attempt.service in ("", "icmp") else attempt.service
            word = f"{attempt.sent} × {service}, {attempt.received} answered"
            yield Mark(
                attempt.at or 0.0, word, "proven" if attempt.passes == attempt.expected else "change", attempt.where
            )
    for change in picture.changes:
        if inside(change.at):
            text = change.what.replace("-", " ") + (
                f": {change.subject or change.detail}" if change.subject or change.detail else ""
            )
            yield Mark(change.at or 0.0, text, "doubt", change.where)


def _pairs(picture: Picture) -> Iterator[PairRow]:
    """One end's SA in is the other's SA out."""
    right = list(picture.right.sas)
    for sa in picture.left.sas:
        mate = next((x for x in right if (x.spi_in, x.spi_out) == (sa.spi_out, sa.spi_in)), None)
        if mate is not None:
            right.remove(mate)
        yield PairRow(sa, mate)
    for sa in right:
        yield PairRow(None, sa)


def _errors(picture: Picture, left: Totals, right: Totals) -> Iterator[str]:
    for end, totals in ((picture.left, left), (picture.right, right)):
        if not totals.points:
            continue
        last = totals.points[-1]
        kinds = [
            f"{n:,} {word}" for n, word in ((last.replay, "as replayed or late"), (last.integrity, "as changed")) if n
        ]
        yield f"{end.title} threw away {' and '.join(kinds)}" if kinds else f"nothing thrown away at {end.title}"


def _up(diagnosis: Diagnosis) -> Iterator[str]:
    """Since when it is up, and for how much of the time seen, where it was lost meanwhile."""
    since = up_since(diagnosis.picture) if diagnosis.status in (Status.WORKING, Status.IDLE, Status.DEGRADED) else None
    if since is not None:
        yield f"since {clock_text(since)[:8]}"
    uptime = uptime_of(diagnosis.picture)
    if uptime is not None and uptime.breaks:
        yield f"{100 * uptime.share:.1f} % of the {span_text(uptime.seen)} seen since it came up first"


def _ahead(picture: Picture, left: Totals, right: Totals) -> Iterator[str]:
    """Who will renew the SA and when, and when its sequence numbers are used up at the present rate."""
    due = [
        (sa.rekey_in_s, end)
        for end in picture.ends
        for sa in end.sas[:1]
        if sa.rekey_in_s is not None and sa.state is SaState.UP
    ]
    if due:
        soon, end = min(due, key=lambda pair: pair[0])
        yield f"{end.title} renews it in {span_text(soon)}"
    gone = [
        (sa.expires_in_s, end)
        for end in picture.ends
        for sa in end.sas[:1]
        if sa.expires_in_s is not None and sa.state is SaState.UP
    ]
    if gone:
        soon, end = min(gone, key=lambda pair: pair[0])
        yield f"it ends at {end.title} in {span_text(soon)} if nobody does"
    for end, totals in ((picture.left, left), (picture.right, right)):
        newest = end.sas[0] if end.sas else None
        if newest is None or newest.packets_out is None or len(totals.points) < len(("first", "last")):
            continue
        span = totals.points[-1].at - totals.points[0].at
        rate = totals.sums[0] / span if span > 0 else 0.0
        left_over = SEQUENCES - newest.packets_out
        if rate > 0 and left_over / rate < DAY_S:
            yield f"{end.title} uses up its sequence numbers in {span_text(left_over / rate)} at this rate"


DAY_S = 86_400.0
"""A forecast beyond a day is no news: SAs are renewed before."""
