"""Other ways between the same LANs: a primary and its standby, two lines of one gateway, two gateways of one site."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from itertools import islice

from stomion.model.event import Event, What
from stomion.tunnel.lans import lans_of
from stomion.tunnel.picture import Picture
from stomion.tunnel.up import up_of

MOST_BESIDE = 64
"""So many other tunnels between the same LANs are kept for each: who has more has named the same LANs by mistake."""


def with_neighbours(pictures: Sequence[Picture]) -> list[Picture]:
    """Each picture with those of other tunnels that join a same pair of LANs (`Picture.beside`)."""
    alike: dict[frozenset[str], list[int]] = {}
    for number, picture in enumerate(pictures):
        for pair in _joined(picture):
            alike.setdefault(pair, []).append(number)
    out = []
    for number, picture in enumerate(pictures):
        near = (n for pair in _joined(picture) for n in alike[pair][: MOST_BESIDE + 1] if n != number)
        others = tuple(pictures[n] for n in islice(dict.fromkeys(near), MOST_BESIDE))
        out.append(replace(picture, beside=others) if others else picture)
    return out


def _joined(picture: Picture) -> list[frozenset[str]]:
    left, right = picture.ends
    return [frozenset((near, far)) for near in lans_of(left, right) for far in lans_of(right, left)]


def covered(picture: Picture) -> bool:
    """Does another tunnel between the same LANs stand, so that the loss of this one stops nothing?"""
    return any(up_of(p).now for p in picture.beside)


def has_several_lines(picture: Picture) -> bool:
    """Do IKE SAs of this tunnel run between more than one pair of addresses by an end's log, as a primary's and its standby's?"""
    return any(len(_pairs(end.events)) > 1 for end in picture.ends)


def _pairs(events: Iterable[Event]) -> set[tuple[str, str]]:
    """(own address, peer's) of a log's IKE SAs, where it names both."""
    return {(e.own, e.peer) for e in events if e.what is What.IKE_UP and e.own and e.peer}
