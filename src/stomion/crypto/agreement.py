"""Two ends' lists of proposals: what they could agree on, how near they come, and the ways to make them agree.

One question, one answer: everything here rests on `agree`. An IKEv1 transform is a fixed tuple (RFC 2408 4.2) and so a proposal of single
values; where a configuration lists several values, its tuples are all of their combinations, and two such sets share one exactly where
every kind shares a value. So both versions are compared kind by kind, within one proposal of either end.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

from stomion.crypto.proposals import disagreements, is_aead, settled
from stomion.crypto.strength import Level, level_of, rank, strongest
from stomion.model.proposal import Proposal

MOST_WAYS = 6
_ORDER = (Level.GOOD, Level.FAIR, Level.WEAK)


@dataclass(frozen=True, slots=True)
class Miss:
    """How near an offered proposal comes to an accepted one: the kinds without a common value."""

    offered: Proposal
    accepted: Proposal
    kinds: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Way:
    """`side` (0 the asker, 1 the answerer) adds these (kind, value) pairs; `level` is the weakest of them."""

    side: int
    adds: tuple[tuple[str, str], ...]
    level: Level

    def words(self) -> str:
        """`add group 19 and AES-CBC-256`."""
        return "add " + " and ".join(_named(kind, value) for kind, value in self.adds)


def _named(kind: str, value: str) -> str:
    words = {"group": f"group {value}", "esn": f"extended sequence numbers: {value}"}
    return words.get(kind, value)


def agree(
    offers: Sequence[Proposal], accepts: Sequence[Proposal], version: int = 2
) -> tuple[Proposal, Proposal] | None:
    """The first pair that agrees in everything, in the order of the offers, as a responder chooses (RFC 7296 2.7)."""
    for offer, accept in product(offers, accepts):
        if not disagreements(offer, accept, version):
            return offer, accept
    return None


def would_choose(offers: Sequence[Proposal], accepts: Sequence[Proposal], version: int = 2) -> Proposal | None:
    """What the two ends come to; None where they can't agree."""
    pair = agree(offers, accepts, version)
    return settled(*pair) if pair is not None else None


def nearest_miss(offers: Sequence[Proposal], accepts: Sequence[Proposal], version: int = 2) -> Miss | None:
    """The pair that differs in the fewest kinds; None where they agree or one side is unknown."""
    if not offers or not accepts or agree(offers, accepts, version):
        return None
    misses = [Miss(o, a, disagreements(o, a, version)) for o, a in product(offers, accepts)]
    return min(misses, key=lambda m: len(m.kinds))


def ways(
    offers: Sequence[Proposal], accepts: Sequence[Proposal], version: int = 2, limit: int = MOST_WAYS
) -> list[Way]:
    """Ways to agree, at either end: the fewest additions first, then the strongest; none where they agree already."""
    if agree(offers, accepts, version):
        return []
    found: dict[tuple[int, tuple[tuple[str, str], ...]], Way] = {}
    for offer, accept in product(offers, accepts):
        kinds = disagreements(offer, accept, version)
        for side, source, target in ((0, accept, offer), (1, offer, accept)):
            adds = tuple((kind, strongest(kind, source.values(kind)) or "") for kind in _to_add(kinds, source, target))
            way = Way(side, adds, max((level_of(k, v)[0] for k, v in adds), key=_ORDER.index))
            found.setdefault((side, adds), way)
    ordered = sorted(
        found.values(), key=lambda w: (len(w.adds), w.level is Level.WEAK, sum(rank(k, v) for k, v in w.adds))
    )
    return ordered[:limit]


def _to_add(kinds: Sequence[str], source: Proposal, target: Proposal) -> tuple[str, ...]:
    """Kinds of which `target` lacks a value of `source`; a cipher without integrity of its own brings the need for one."""
    needs = (
        "encryption" in kinds and is_aead(target) and not is_aead(source) and source.integrity and not target.integrity
    )
    return (*kinds, "integrity") if needs else tuple(kinds)
