"""What two sets of proposals have in common, and how little would have to change (RFC 7296 2.7, 3.3; RFC 8247)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.model.proposal import Proposal

COMPARED = ("encryption", "integrity", "prf", "group")
AEAD_WORDS = ("GCM", "CCM", "CHACHA20")


@dataclass(frozen=True, slots=True)
class Miss:
    """How near an offered proposal comes to an accepted one: the kinds without a common value, and both ends' values."""

    offered: Proposal
    accepted: Proposal
    kinds: tuple[str, ...]


def is_aead(proposal: Proposal) -> bool:
    """True where every cipher brings its own integrity, so that none is negotiated (RFC 7296 3.3.3)."""
    return bool(proposal.encryption) and all(any(w in name for w in AEAD_WORDS) for name in proposal.encryption)


def disagreements(a: Proposal, b: Proposal) -> tuple[str, ...]:
    """The kinds in which two proposals have no value in common. A kind that one of them does not mention is not judged,
    save the group of an ESP proposal, whose absence means no PFS only where both came from configuration."""
    found = []
    for kind in COMPARED:
        ours, theirs = a.values(kind), b.values(kind)
        if kind == "integrity" and (is_aead(a) or is_aead(b)):
            continue
        if ours and theirs and not _common(ours, theirs):
            found.append(kind)
    if "prf" in found and "integrity" in found:
        found.remove("prf")
    return tuple(found)


def _common(a: Sequence[str], b: Sequence[str]) -> bool:
    """A cipher named without its key length meets any length of it: the source did not say more."""
    if set(a) & set(b):
        return True
    return any(x.startswith(y + "-") or y.startswith(x + "-") for x in a for y in b if not (x.isdigit() or y.isdigit()))


def agreement(offers: Sequence[Proposal], accepts: Sequence[Proposal]) -> tuple[Proposal, Proposal] | None:
    """The first pair that agrees in everything, in the order of the offers, as a responder chooses (RFC 7296 2.7)."""
    for offer in offers:
        for accept in accepts:
            if not disagreements(offer, accept):
                return offer, accept
    return None


def nearest_miss(offers: Sequence[Proposal], accepts: Sequence[Proposal]) -> Miss | None:
    """The pair that differs in the fewest kinds; None where they agree or one side is unknown."""
    if not offers or not accepts or agreement(offers, accepts):
        return None
    misses = [Miss(o, a, disagreements(o, a)) for o in offers for a in accepts]
    return min(misses, key=lambda m: len(m.kinds))


def settled(offer: Proposal, accept: Proposal) -> Proposal:
    """What two proposals that agree come to: of every kind the first offered value that is accepted (RFC 7296 2.7).

    A kind that only one of them names keeps that one's values, as nothing contradicts them.
    """

    def first(kind: str) -> tuple[str, ...]:
        ours, theirs = offer.values(kind), accept.values(kind)
        if not ours or not theirs:
            return ours[:1] or theirs[:1]
        return tuple(v for v in ours if _common((v,), theirs))[:1]

    encryption = first("encryption")
    integrity = () if is_aead(Proposal("", encryption)) else first("integrity")
    return Proposal(offer.protocol or accept.protocol, encryption, integrity, first("prf"), first("group"))
