"""What was tried between the two LANs, and how much of it was answered: tests and continuous pings in one shape.

Fractions count: 13 of 30 answered is loss, not success. What was tried before the tunnel was up says nothing about the tunnel.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from stomion.model.provenance import Provenance
from stomion.model.record import LARGE
from stomion.tunnel.lans import no_host
from stomion.tunnel.picture import End, LanTest, Picture, PingSeries
from stomion.tunnel.up import up_of

STRAY = 20
"""One probe in so many may be lost, and one in all: an address had to be resolved, or the tunnel to be set up."""
LATE_S = 2.0
"""Seconds around the moment at which a tunnel came up in which a test may belong to either side of it."""


@dataclass(frozen=True, slots=True)
class Attempt:
    """Probes of one service from one host to another: `sent` and `received` are counts, `at` seconds since 1970 UTC or None.

    `last` tells how the end of a continuous ping fared, where it is one; `before` whether it was made before the tunnel was up.
    """

    from_left: bool
    who: str
    to: str
    service: str
    sent: int
    received: int
    expected: bool
    at: float | None
    where: Provenance
    error: str = ""
    last: bool | None = None
    before: bool = False
    size: int = 0

    @property
    def key(self) -> tuple[str, str, str, int]:
        """What attempts of the same thing share; see LanTest.key."""
        return self.who, self.to, self.service, self.size if self.size >= LARGE else 0

    @property
    def silent(self) -> bool:
        """Was nothing answered at all?"""
        return self.received == 0

    @property
    def passes(self) -> bool:
        """Was all answered, save a stray probe; of a continuous ping: is it answered now?"""
        if self.last is not None:
            return self.last
        return not self.silent and self.sent - self.received <= max(1, self.sent // STRAY)

    @property
    def lossy(self) -> bool:
        """Was a part answered, and more lost than a stray probe?"""
        return not self.silent and not self.passes

    @property
    def says(self) -> str:
        """`ping ash/host-a > 10.2.0.20 (0 of 5 answered)`."""
        service = "ping" if self.service in ("", "icmp") else self.service
        told = f", told {self.error}" if self.silent and self.error and self.error != "timeout" else ""
        size = f" with {self.size:,} bytes" if self.size >= LARGE else ""
        return f"{service}{size} {self.who} > {self.to} ({self.received} of {self.sent} answered{told})"


def attempts_of(picture: Picture) -> tuple[Attempt, ...]:
    """Everything that was tried, in the order of its times where they are known; worked out once for a picture."""
    known = picture.worked_out.get("attempts")
    if not isinstance(known, tuple):
        known = picture.worked_out["attempts"] = _attempts(picture)
    return known


def _attempts(picture: Picture) -> tuple[Attempt, ...]:
    up = up_of(picture).logged
    begun = up.at if up is not None else None
    found = [*(of_test(t, begun) for t in picture.tests), *(_of_series(s, begun) for s in picture.pings)]
    return tuple(sorted(found, key=lambda a: a.at or 0.0))


def series_of(picture: Picture) -> tuple[Attempt, ...]:
    """The continuous pings alone, in the order of the picture."""
    up = up_of(picture).logged
    return tuple(_of_series(s, up.at if up is not None else None) for s in picture.pings)


def latest(picture: Picture) -> tuple[Attempt, ...]:
    """The last attempt of each host, target and service that says something about the tunnel.

    Without those from before the tunnel was up, those to an address that no host can have, and those a gateway made itself without an
    answer: they leave with its outer address, which the selectors need not hold.
    """
    known = picture.worked_out.get("latest")
    if not isinstance(known, tuple):
        known = picture.worked_out["latest"] = _latest(picture)
    return known


def _latest(picture: Picture) -> tuple[Attempt, ...]:
    found = {}
    for attempt in attempts_of(picture):
        end = sender(picture, attempt)
        pointless = attempt.who == end.site or no_host(attempt.to, picture.other(end))
        if attempt.before or (attempt.silent and pointless):
            continue
        found[attempt.key] = attempt
    return tuple(found.values())


def sender(picture: Picture, attempt: Attempt) -> End:
    """The end an attempt was made from."""
    return picture.left if attempt.from_left else picture.right


def failing(picture: Picture) -> tuple[Attempt, ...]:
    """Latest attempts that ought to be answered and are not, or only in part. A large packet whose sender was told that it is too big is
    as it should be (RFC 1191)."""
    return tuple(a for a in latest(picture) if a.expected and not a.passes and not _told_size(a))


def _told_size(attempt: Attempt) -> bool:
    return attempt.error == "too-big" and attempt.size >= LARGE


def passing(picture: Picture) -> tuple[Attempt, ...]:
    """Latest attempts that got an answer and ought to: something of the tunnel carries."""
    return tuple(a for a in latest(picture) if a.expected and (a.passes or a.lossy))


def before_and_after(picture: Picture) -> Iterator[tuple[Attempt, Attempt]]:
    """The same attempt before the tunnel was up and since: one that failed and passes now is proof of the tunnel."""
    now = {a.key: a for a in latest(picture)}
    for attempt in attempts_of(picture):
        later = now.get(attempt.key)
        if attempt.before and later is not None:
            yield attempt, later


def of_test(test: LanTest, begun: float | None = None) -> Attempt:
    """A test as an attempt; `begun` is the moment at which the tunnel came up."""
    received = max(test.received, int(test.passed))
    return Attempt(
        test.from_left, test.who, test.to, test.service, max(test.sent, received, 1), received, test.expected, test.at, test.where,
        test.error, before=_is_before(test.at, begun), size=test.size,
    )  # fmt: skip


_NOW = 3
"""Probes at the end of a continuous ping by which it is judged."""


def _of_series(series: PingSeries, begun: float | None) -> Attempt:
    counted = [got for got, at in zip(series.answered, series.times, strict=True) if not _is_before(at, begun)]
    answered = counted or list(series.answered)
    last = answered[-_NOW:]
    return Attempt(
        series.from_left, series.source, series.to, "icmp", len(answered), sum(answered), True, series.times[-1], series.where,
        last=sum(last) * 2 > len(last), before=not counted,
    )  # fmt: skip


def _is_before(at: float | None, begun: float | None) -> bool:
    return at is not None and begun is not None and at < begun - LATE_S
