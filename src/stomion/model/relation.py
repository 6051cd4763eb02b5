"""How a case wants its sites to reach each other."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from stomion.model.provenance import Provenance


class Want(StrEnum):
    """How two sites are to reach each other."""

    DIRECT = "direct"
    THROUGH = "through"
    APART = "apart"


@dataclass(frozen=True, slots=True)
class Relation:
    """Every two of `sites` are joined as wanted; `through` is the site in between."""

    sites: tuple[str, ...]
    want: Want
    through: str
    where: Provenance
