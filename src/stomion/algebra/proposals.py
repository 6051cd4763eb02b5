"""What two sets of proposals have in common, and how little would have to change (RFC 7296 2.7, 3.3; RFC 8247)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.model.proposal import Proposal

COMPARED = ("encryption", "integrity", "prf", "group")
AEAD_WORDS = ("GCM", "CCM", "CHACHA20")

# Preference among values of a kind, strongest first: RFC 8247 2.1-2.4 and 8221 5-6 with their requirement levels, MUST before
# SHOULD before MAY; what these RFCs deprecate stands last. Unknown values rank between MAY and MUST NOT.
_STRENGTH: dict[str, tuple[str, ...]] = {
    "encryption": ("AES-GCM-16-256", "CHACHA20-POLY1305", "AES-GCM-16-128", "AES-CBC-256", "AES-CBC-128"),
    "integrity": ("HMAC-SHA2-512-256", "HMAC-SHA2-384-192", "HMAC-SHA2-256-128"),
    "prf": ("HMAC-SHA2-512", "HMAC-SHA2-384", "HMAC-SHA2-256"),
    "group": ("20", "21", "19", "31", "16", "15", "14"),
}
WEAK = frozenset({
    "DES", "3DES", "NULL", "HMAC-MD5-96", "HMAC-SHA1-96", "HMAC-MD5", "HMAC-SHA1", "1", "2", "5", "22", "23", "24", "25",
})  # fmt: skip
"""Values that RFC 8247, RFC 8221 or their updates say not to use any more (or to retire)."""


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


def strongest(kind: str, values: Sequence[str]) -> str | None:
    """The value that is the best to settle on."""
    order = _STRENGTH.get(kind, ())

    def rank(value: str) -> int:
        if value in order:
            return order.index(value)
        return len(order) + (100 if value in WEAK else 0)

    return min(values, key=rank) if values else None
