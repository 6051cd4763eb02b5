"""Findings, stages and verdicts: what the diagnosis says, in the shape both fronts and the JSON output share."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum

from stomion.model.provenance import Provenance


class Stage(StrEnum):
    """The stages of a tunnel in working order: each rests on the ones before it."""

    UNDERLAY = "underlay"
    IKE = "ike"
    CHILD = "child"
    SELECTORS = "selectors"
    NAT = "nat"
    ROUTING = "routing"
    FILTER = "filter"
    CARRIAGE = "carriage"
    TRAFFIC = "traffic"
    FAILOVER = "failover"


STAGES: tuple[Stage, ...] = tuple(Stage)


class Verdict(StrEnum):
    """How a stage stands at one end. `unreached`: something before it is broken, so its failing means nothing."""

    PASS = "pass"
    CAUTION = "caution"
    FAULT = "fault"
    UNSEEN = "unseen"
    UNREACHED = "unreached"


class Certainty(StrEnum):
    """`proven`: the refusing end's own word or both ends'; `likely`: one end's evidence; `possible`: others fit too."""

    PROVEN = "proven"
    LIKELY = "likely"
    POSSIBLE = "possible"


class Status(StrEnum):
    """A tunnel as a whole."""

    BROKEN = "broken"
    DEGRADED = "degraded"
    WORKING = "working"
    IDLE = "idle"
    UNPROVEN = "unproven"


PATH = "path"
"""The side that stands for the network between the two ends."""


@dataclass(frozen=True, slots=True)
class Remedy:
    """What one end is to change."""

    side: str
    text: str


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that is wrong (or a caution), at which end, with its proof and what to do."""

    code: str
    stage: Stage
    sides: tuple[str, ...]
    certainty: Certainty
    summary: str
    remedies: tuple[Remedy, ...] = ()
    evidence: tuple[Provenance, ...] = ()
    facts: dict[str, object] = field(default_factory=dict)
    caution: bool = False
    detail: str = ""
    order: int = 0
    """Among findings of one stage: which was met first on the way."""


@dataclass(frozen=True, slots=True)
class StageVerdict:
    """One stage at both ends; `says` is the line each end's page shows for it, `where` the proof of that line."""

    stage: Stage
    left: Verdict
    right: Verdict
    says: tuple[str, str] = ("", "")
    where: tuple[Provenance | None, Provenance | None] = (None, None)

    @property
    def whole(self) -> Verdict:
        """Both ends as one: the worse of the two, where unseen at one end is made up for by the other."""
        order = (Verdict.FAULT, Verdict.CAUTION, Verdict.PASS, Verdict.UNREACHED, Verdict.UNSEEN)
        return min(self.left, self.right, key=order.index)
