"""What was told of a tunnel so far."""

from __future__ import annotations

from dataclasses import dataclass, field

from stomion.drafts.algorithms import proposal, with_shared
from stomion.model.site import SheetProposal


@dataclass(slots=True)
class Phase:
    """What is said of the proposals of one phase."""

    whole: list[SheetProposal] = field(default_factory=list)
    keyed: dict[str, tuple[str | int, ...]] = field(default_factory=dict)
    life: int | None = None

    def all(self) -> tuple[SheetProposal, ...]:
        """Whole ones, each with what is said of all; else the one that the keyed values make."""
        if self.whole:
            return with_shared(self.whole, self.keyed.get("group", ()), self.life)
        return (proposal(self.keyed, self.life),) if self.keyed.get("encryption") else ()


@dataclass(slots=True)
class Told:
    values: dict[str, str] = field(default_factory=dict)
    near: list[str] = field(default_factory=list)
    far: list[str] = field(default_factory=list)
    ike: int | None = None
    interval: float | None = None
    retries: int | None = None
    until: float | None = None
    """How long a probe's answer, or the peer altogether, is waited for."""
    phases: tuple[Phase, Phase] = field(default_factory=lambda: (Phase(), Phase()))
