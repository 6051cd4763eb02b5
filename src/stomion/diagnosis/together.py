"""Many tunnels and one cause: the same fault with the same change at one site, said once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.model.finding import PATH

SEVERAL = 3
"""Tunnels from which on a cause in common is worth a sentence."""


@dataclass(frozen=True, slots=True)
class CommonCause:
    """`change` at `site` would mend all of `tunnels`; `of` is how many tunnels the site has."""

    code: str
    site: str
    title: str
    change: str
    tunnels: tuple[str, ...]
    of: int

    @property
    def says(self) -> str:
        """`All 6 tunnels of Ash have one cause: offer group 14 at Ash (ike-proposal-mismatch).`"""
        count = len(self.tunnels)
        many = f"All {count} tunnels" if count == self.of else f"{count} of {self.of} tunnels"
        return f"{many} of {self.title} have one cause: {self.change}, at {self.title} ({self.code})."


def common_causes(diagnoses: Sequence[Diagnosis]) -> tuple[CommonCause, ...]:
    """By the first fault of each tunnel and what is to be changed at one of its ends; those of most tunnels first."""
    found: dict[tuple[str, str, str], list[Diagnosis]] = {}
    tunnels: dict[str, int] = {}
    for d in diagnoses:
        for end in d.picture.ends:
            tunnels[end.site] = tunnels.get(end.site, 0) + 1
        first = d.first_fault
        for remedy in first.remedies if first is not None else ():
            if remedy.side != PATH:
                found.setdefault((first.code if first else "", remedy.side, remedy.text), []).append(d)
    rows = []
    for (code, site, text), mine in found.items():
        if len(mine) < SEVERAL:
            continue
        title = next(e.title for e in mine[0].picture.ends if e.site == site)
        rows.append(CommonCause(code, site, title, text, tuple(d.picture.name for d in mine), tunnels[site]))
    return tuple(sorted(rows, key=lambda c: -len(c.tunnels)))
