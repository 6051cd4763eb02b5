"""Other ways between the same LANs: a primary and its standby, two lines of one gateway, two gateways of one site."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from stomion.model.event import Event, What
from stomion.tunnel.lans import lans_of
from stomion.tunnel.picture import Picture
from stomion.tunnel.up import up_of


def with_neighbours(pictures: Sequence[Picture]) -> list[Picture]:
    """Each picture with those of other tunnels that join a same pair of LANs (`Picture.beside`)."""
    alike: dict[frozenset[str], list[int]] = {}
    for number, picture in enumerate(pictures):
        for pair in _joined(picture):
            alike.setdefault(pair, []).append(number)
    out = []
    for number, picture in enumerate(pictures):
        others = dict.fromkeys(n for pair in _joined(picture) for n in alike[pair] if n != number)
        out.append(replace(picture, beside=tuple(pictures[n] for n in others)) if others else picture)
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
