"""Two proposals held against each other: the kinds in which they share no value, and what they settle on (RFC 7296 2.7, 3.3)."""

from __future__ import annotations

from collections.abc import Iterable

from stomion.model.proposal import Proposal

COMPARED = ("encryption", "integrity", "prf", "group", "esn")
"""Kinds that must share a value. Extended sequence numbers are one like the others (RFC 7296 3.3.2)."""
COMPARED_V1 = (*COMPARED, "authentication")
"""In IKEv1 the authentication method is a part of the transform (RFC 2409, appendix A)."""
AEAD_WORDS = ("GCM", "CCM", "CHACHA20")


def is_aead(proposal: Proposal) -> bool:
    """True where every cipher brings its own integrity, so that none is negotiated (RFC 7296 3.3.3)."""
    return bool(proposal.encryption) and all(any(w in name for w in AEAD_WORDS) for name in proposal.encryption)


def disagreements(a: Proposal, b: Proposal, version: int = 2) -> tuple[str, ...]:
    """The kinds in which two proposals have no value in common. A kind that one of them does not mention is not judged: a source that
    is silent about it says nothing, and the rule about PFS looks at absence itself."""
    found = []
    for kind in COMPARED if version == 2 else COMPARED_V1:
        ours, theirs = a.values(kind), b.values(kind)
        if kind == "integrity" and (is_aead(a) or is_aead(b)):
            continue
        if ours and theirs and not shared(ours, theirs):
            found.append(kind)
    if "prf" in found and "integrity" in found:
        # The PRF follows the hash in most configurations: one difference, not two.
        found.remove("prf")
    return tuple(found)


def shared(a: Iterable[str], b: Iterable[str]) -> tuple[str, ...]:
    """Values of `a` that `b` has too, in the order of `a`. A cipher named without its key length meets any length of it: the source did
    not say more."""
    theirs = tuple(b)
    return tuple(v for v in a if any(_meet(v, w) for w in theirs))


def _meet(a: str, b: str) -> bool:
    if a == b:
        return True
    if a.isdecimal() or b.isdecimal():
        return False
    return a.startswith(f"{b}-") or b.startswith(f"{a}-")


def settled(offer: Proposal, accept: Proposal) -> Proposal:
    """What two proposals that agree come to: of every kind the first offered value that is accepted (RFC 7296 2.7).

    A kind that only one of them names keeps that one's first value, as nothing contradicts it; save the group of ESP, which only one of
    them asking for is no agreement on it.
    """

    def first(kind: str) -> tuple[str, ...]:
        ours, theirs = offer.values(kind), accept.values(kind)
        if not ours or not theirs:
            return () if kind == "group" and offer.protocol == "ESP" else ours[:1] or theirs[:1]
        return shared(ours, theirs)[:1]

    encryption = first("encryption")
    integrity = () if is_aead(Proposal("", encryption)) else first("integrity")
    protocol = offer.protocol or accept.protocol
    return Proposal(
        protocol, encryption, integrity, first("prf"), first("group"), first("esn"), first("authentication")
    )
