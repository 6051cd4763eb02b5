"""How good an algorithm is by IETF guidance, as a table with its source.

RFC 8247 (IKEv2) and RFC 8221 (ESP); RFC 9395 deprecates IKEv1 and what had become MUST NOT by then.
Levels: `good` (MUST or SHOULD), `fair` (MAY, or not named), `weak` (MUST-, SHOULD NOT, MUST NOT).
"""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

from stomion.model.proposal import Proposal


class Level(StrEnum):
    """What to think of a value."""

    GOOD = "good"
    FAIR = "fair"
    WEAK = "weak"


STRENGTH: dict[str, tuple[tuple[str, Level, str], ...]] = {
    "encryption": (
        ("AES-GCM-16-256", Level.GOOD, "RFC 8221 5: MUST"),
        ("CHACHA20-POLY1305", Level.GOOD, "RFC 8221 5: SHOULD"),
        ("AES-GCM-16-128", Level.GOOD, "RFC 8221 5: MUST"),
        ("AES-CBC-256", Level.GOOD, "RFC 8247 2.1: MUST"),
        ("AES-CBC-128", Level.GOOD, "RFC 8247 2.1: MUST"),
        ("AES-CBC-192", Level.FAIR, "RFC 8247 2.1: MAY"),
        ("3DES", Level.WEAK, "RFC 8221 5: SHOULD NOT"),
        ("DES", Level.WEAK, "RFC 8247 2.1: MUST NOT"),
        ("NULL", Level.WEAK, "no confidentiality"),
    ),
    "integrity": (
        ("HMAC-SHA2-512-256", Level.GOOD, "RFC 8247 2.3: SHOULD"),
        ("HMAC-SHA2-384-192", Level.FAIR, "not named in RFC 8247"),
        ("HMAC-SHA2-256-128", Level.GOOD, "RFC 8247 2.3: MUST"),
        ("HMAC-SHA1-96", Level.FAIR, "RFC 8247 2.3: MUST-, on its way out"),
        ("HMAC-MD5-96", Level.WEAK, "RFC 8247 2.3: MUST NOT"),
    ),
    "prf": (
        ("HMAC-SHA2-512", Level.GOOD, "RFC 8247 2.2: SHOULD+"),
        ("HMAC-SHA2-384", Level.FAIR, "not named in RFC 8247"),
        ("HMAC-SHA2-256", Level.GOOD, "RFC 8247 2.2: MUST"),
        ("HMAC-SHA1", Level.FAIR, "RFC 8247 2.2: MUST-, on its way out"),
        ("HMAC-MD5", Level.WEAK, "RFC 8247 2.2: MUST NOT"),
    ),
    "group": (
        ("20", Level.FAIR, "384-bit ECP; not named in RFC 8247"),
        ("21", Level.FAIR, "521-bit ECP; not named in RFC 8247"),
        ("31", Level.FAIR, "RFC 8031 (Curve25519); not named in RFC 8247"),
        ("19", Level.GOOD, "RFC 8247 2.4: SHOULD (256-bit ECP)"),
        ("18", Level.FAIR, "8192-bit MODP; not named in RFC 8247"),
        ("17", Level.FAIR, "6144-bit MODP; not named in RFC 8247"),
        ("16", Level.FAIR, "4096-bit MODP; not named in RFC 8247"),
        ("15", Level.FAIR, "3072-bit MODP; not named in RFC 8247"),
        ("14", Level.GOOD, "RFC 8247 2.4: MUST (2048-bit MODP)"),
        ("5", Level.WEAK, "RFC 8247 2.4: SHOULD NOT (1536-bit MODP)"),
        ("2", Level.WEAK, "RFC 8247 2.4: SHOULD NOT (1024-bit MODP)"),
        ("1", Level.WEAK, "RFC 8247 2.4: MUST NOT (768-bit MODP)"),
        ("3", Level.WEAK, "155-bit curve (RFC 2409 6.3); in no current document"),
        ("4", Level.WEAK, "185-bit curve (RFC 2409 6.4); in no current document"),
        ("22", Level.WEAK, "RFC 8247 2.4: MUST NOT"),
        ("23", Level.WEAK, "RFC 8247 2.4: SHOULD NOT"),
        ("24", Level.WEAK, "RFC 8247 2.4: SHOULD NOT"),
        ("25", Level.WEAK, "192-bit ECP: too small"),
    ),
}
"""kind -> (value, level, source), the one to settle on first at the top."""
_KNOWN = {kind: {name: (n, level, why) for n, (name, level, why) in enumerate(rows)} for kind, rows in STRENGTH.items()}


def level_of(kind: str, value: str) -> tuple[Level, str]:
    """The level of a value and where that is said; a value the table lacks is `fair`."""
    found = _KNOWN.get(kind, {}).get(value)
    return (found[1], found[2]) if found else (Level.FAIR, "no guidance known")


def rank(kind: str, value: str) -> int:
    """For sorting: 0 is the value to settle on first; unknown values rank after all fit ones and before weak ones."""
    rows = _KNOWN.get(kind, {})
    found = rows.get(value)
    if found is None:
        return len(rows)
    return found[0] + (2 * len(rows) if found[1] is Level.WEAK else 0)


def strongest(kind: str, values: Sequence[str]) -> str | None:
    """The value that is the best to settle on."""
    return min(values, key=lambda v: rank(kind, v)) if values else None


def weak_values(proposal: Proposal, layer: str) -> list[str]:
    """Weak values of a proposal in words: `3DES`, `group 2`. Integrity stands for the PRF made of the same hash."""
    found = []
    for kind in ("encryption", "integrity", "group"):
        for value in proposal.values(kind):
            if level_of(kind, value)[0] is Level.WEAK:
                found.append(f"{'PFS ' if layer == 'ESP' else ''}group {value}" if kind == "group" else value)
    return found
