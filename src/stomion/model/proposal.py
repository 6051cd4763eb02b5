"""A cryptographic proposal in one vocabulary, whether it came from the wire, a log or a site sheet.

Values are the IANA names in the short form of the site sheet: `AES-CBC-256`, `HMAC-SHA2-256-128`, a group by its number.
"""

from __future__ import annotations

from dataclasses import dataclass

KINDS = ("encryption", "integrity", "prf", "group", "esn", "authentication")
"""Order in which the parts of a proposal are written and compared."""


@dataclass(frozen=True, slots=True)
class Proposal:
    """One proposal: for every kind the values offered, in order. An empty kind was not mentioned.

    In IKEv1 each transform is a fixed tuple, so each becomes a Proposal of single values (RFC 2408 4.2).
    """

    protocol: str = ""
    encryption: tuple[str, ...] = ()
    integrity: tuple[str, ...] = ()
    prf: tuple[str, ...] = ()
    group: tuple[str, ...] = ()
    esn: tuple[str, ...] = ()
    authentication: tuple[str, ...] = ()
    lifetime_s: int | None = None

    def values(self, kind: str) -> tuple[str, ...]:
        """The values of one of KINDS."""
        found: tuple[str, ...] = getattr(self, kind)
        return found

    def __str__(self) -> str:
        parts = []
        for kind in ("encryption", "integrity", "prf", "group"):
            found = self.values(kind)
            if not found or (kind == "prf" and self.integrity and implied_prf(self.integrity) == set(found)):
                continue
            label = "group " if kind == "group" else "PRF " if kind == "prf" else ""
            parts.append(label + " or ".join(found))
        return " · ".join(parts) or "nothing named"


def implied_prf(integrity: tuple[str, ...]) -> set[str]:
    """The PRFs that share their hash with these integrity algorithms: naming them again tells nothing."""
    return {name.rsplit("-", 1)[0] for name in integrity}
