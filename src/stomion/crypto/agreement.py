"""What two ends could agree on, and the ways to make them agree where they can't, the smallest and strongest first."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product

from stomion.crypto.proposals import COMPARED, disagreements, is_aead, settled
from stomion.crypto.strength import Level, level_of, rank, strongest
from stomion.model.proposal import Proposal

MAX_TUPLES = 4_096
"""Fixed tuples of IKEv1 that lists of values are multiplied out to."""
_ORDER = (Level.GOOD, Level.FAIR, Level.WEAK)


@dataclass(frozen=True, slots=True)
class Way:
    """`side` (0 the asker, 1 the answerer) adds these (kind, value) pairs; `level` is the weakest of them."""

    side: int
    adds: tuple[tuple[str, str], ...]
    level: Level

    def words(self) -> str:
        """`add group 19 and AES-CBC-256`."""
        return "add " + " and ".join(f"group {v}" if k == "group" else v for k, v in self.adds)


def tuples(proposal: Proposal) -> list[Proposal]:
    """A proposal's lists multiplied out to fixed tuples, as IKEv1 sends them (RFC 2408 4.2; RFC 2409 5)."""
    kinds = [kind for kind in (*COMPARED, "authentication") if proposal.values(kind)]
    out: list[Proposal] = []
    for values in product(*(proposal.values(kind) for kind in kinds)):
        if len(out) >= MAX_TUPLES:
            break
        parts = {kind: (value,) for kind, value in zip(kinds, values, strict=True)}
        out.append(
            Proposal(
                proposal.protocol,
                parts.get("encryption", ()),
                parts.get("integrity", ()),
                parts.get("prf", ()),
                parts.get("group", ()),
                proposal.esn,
                parts.get("authentication", ()),
                proposal.lifetime_s,
            )
        )
    return out


def would_choose(offers: Sequence[Proposal], accepts: Sequence[Proposal], version: int = 2) -> Proposal | None:
    """What the two ends come to, in the order of the offers; None where they can't agree.

    IKEv2 picks one value of every kind within a proposal (RFC 7296 2.7); in IKEv1 a whole tuple is taken or none.
    """
    asked = offers if version == 2 else [t for p in offers for t in tuples(p)]
    held = accepts if version == 2 else [t for p in accepts for t in tuples(p)]
    for offer in asked:
        for accept in held:
            if not disagreements(offer, accept) and _esn_agrees(offer, accept):
                return settled(offer, accept)
    return None


def _esn_agrees(a: Proposal, b: Proposal) -> bool:
    """Extended sequence numbers are a kind like others; unnamed is either (RFC 7296 3.3.2)."""
    return not a.esn or not b.esn or bool(set(a.esn) & set(b.esn))


def ways(offers: Sequence[Proposal], accepts: Sequence[Proposal], limit: int = 6) -> list[Way]:
    """Ways to agree, at either end: the fewest additions first, then the strongest; none where they agree already."""
    found: dict[tuple[int, tuple[tuple[str, str], ...]], Way] = {}
    for offer, accept in product(offers, accepts):
        kinds = disagreements(offer, accept)
        if not kinds:
            return []
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
