"""What becomes of packets on their way: a piece of a set with its fate, and the decisions that led to it."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum

from stomion.model.provenance import Provenance
from stomion.model.tables import Chain, Policy, Rule
from stomion.walk.chains import Setting
from stomion.walk.pieces import Piece
from stomion.walk.routing import Way


class Fate(StrEnum):
    """What becomes of packets."""

    CARRIED = "carried"
    TRANSLATED = "translated"
    LEAKED = "in clear"
    DROPPED = "dropped"
    LOST = "no way"
    LOOPING = "looping"
    LOCAL = "gateway's own"
    UNCERTAIN = "uncertain"


@dataclass(frozen=True, slots=True)
class Step:
    """One decision on the way: `what` was decided, `says` it in words, `where` it stands, by which rule or route.

    `sets` is what a translation makes of the packet: the axis (see algebra.boxes) and its new value.
    """

    what: str
    says: str
    where: Provenance | None = None
    rule: Rule | None = None
    way: Way | None = None
    sets: tuple[int, int] | None = None


@dataclass(frozen=True, slots=True)
class Passage:
    """A piece that went through a gateway, or ended there. `rule` is the one that decided its fate, where one did."""

    piece: Piece
    fate: Fate
    steps: tuple[Step, ...] = ()
    rule: Rule | None = None
    chain: Chain | None = None
    way: Way | None = None
    policy: Policy | None = None
    says: str = ""
    setting: Setting = field(default_factory=Setting)
    """Where the deciding rule was asked: interfaces, zones, state."""
    tag: int = 0
    """Which of the pieces that came in this is a part of."""

    def after(self, step: Step, **more: object) -> Passage:
        """One step on."""
        return replace(self, steps=(*self.steps, step), **more)  # type: ignore[arg-type]
