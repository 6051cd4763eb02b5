"""What a rule is: its place in the catalogue and the function that judges a picture."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import TypeVar, cast

from stomion.exchange.story import Refusal
from stomion.model.event import Event, What
from stomion.model.finding import Certainty, Finding, Remedy, Stage
from stomion.model.provenance import Provenance
from stomion.tunnel.cause import Cause
from stomion.tunnel.picture import End, Picture

MAX_EVIDENCE = 8
"""Places of proof named with one finding; the first and the most telling ones."""


@dataclass(frozen=True, slots=True)
class Spec:
    """Catalogue entry; the documentation of findings is generated from these."""

    code: str
    stage: Stage
    title: str
    means: str
    decided: str
    example: str
    caution: bool = False
    leftover: bool = False
    """Said only where no fault is found: what it tells of would be that fault's effect."""
    explains: frozenset[str] = frozenset()
    """Codes of what this fault brings about: they are listed as its symptoms, not as findings of their own."""

    def finding(
        self,
        sides: Iterable[str],
        certainty: Certainty,
        summary: str,
        remedies: Iterable[Remedy] = (),
        evidence: Iterable[Provenance | None] = (),
        facts: dict[str, object] | None = None,
        detail: str = "",
    ) -> Finding:
        """A finding of this rule; places of proof that are None, and those beyond MAX_EVIDENCE, are left out."""
        places = tuple(dict.fromkeys(p for p in evidence if p is not None))[:MAX_EVIDENCE]
        return Finding(
            self.code, self.stage, tuple(sides), certainty, summary, tuple(remedies), places, facts or {}, self.caution, detail,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Rule:
    """A rule of the catalogue: what it says of itself, and its judgement, None where it has nothing to say."""

    spec: Spec
    judge: Callable[[Context], Finding | None]


Judged = TypeVar("Judged")


def _of_no_other(_picture: Picture) -> tuple[Finding, ...]:
    return ()


@dataclass(frozen=True, slots=True)
class Context:
    """What a rule judges: the picture of one tunnel and the refusal that leads in it."""

    picture: Picture
    cause: Cause | None
    judged: Callable[[Picture], tuple[Finding, ...]] = _of_no_other
    """What all rules but those of failover say of another tunnel, as of a standby."""
    _known: dict[Callable[[Context], object], object] = field(default_factory=dict, compare=False, repr=False)

    def once(self, judge: Callable[[Context], Judged]) -> Judged:
        """What a family of rules makes of this context, worked out by the first of them that asks."""
        if judge not in self._known:
            self._known[judge] = judge(self)
        return cast(Judged, self._known[judge])

    @property
    def asker(self) -> End:
        """The end whose wish was refused."""
        assert self.cause is not None
        return self.picture.other(self.cause.by)

    @property
    def untold(self) -> bool:
        """Does the leading refusal's line leave open which of the two ends refused?"""
        return self.cause is not None and self.cause.refusal is not None and self.cause.refusal.event.bare

    @property
    def guess(self) -> Provenance | None:
        """The line that the leading refusal is guessed from, where no word of it is known to refuse anything."""
        refusal = self.cause.refusal if self.cause is not None else None
        return refusal.event.where if refusal is not None and refusal.event.guessed else None

    @property
    def inferred(self) -> Provenance | None:
        """The leading refusal's line, where its meaning was concluded from what stands around its words."""
        refusal = self.cause.refusal if self.cause is not None else None
        return refusal.event.where if refusal is not None and refusal.event.inferred else None

    def certainty(self) -> Certainty:
        """Proven by the refusing end's own word; possible where only its bare `no` was heard."""
        if self.guess is not None:
            return Certainty.POSSIBLE
        if self.cause is not None and self.cause.explained:
            return Certainty.LIKELY
        if self.cause is None or self.cause.heard:
            return Certainty.POSSIBLE
        if self.untold or self.inferred is not None:
            return Certainty.LIKELY
        return Certainty.PROVEN

    def evidence(self) -> tuple[Provenance, ...]:
        """The leading refusal's line, the first of its kind, what the other end heard of it, and the packets."""
        cause = self.cause
        if cause is None:
            return ()
        if cause.declared:
            keys = _SHEET_KEYS.get(cause.what, ())
            return tuple(p for end in self.picture.ends if (p := end.sheet_at(*keys)) is not None)
        places: list[Provenance] = []
        if cause.refusal:
            places.append(cause.refusal.event.where)
        for end in self.picture.ends:
            same = [
                r.event.where
                for e, r in cause.all
                if e is end and (cause.refusal is None or _same_kind(r, cause.refusal))
            ]
            places.extend((same[-1], same[0]) if same else ())
        return tuple(dict.fromkeys(places + self.packets()))[:MAX_EVIDENCE]

    def packets(self) -> list[Provenance]:
        """Packets of the last refused negotiation: the refusal, and what it refuses."""
        found = self.cause.negotiation if self.cause and self.cause.negotiation else self.picture.last
        if found is None or found.refusal_step < 0:
            return []
        return [found.steps[found.refusal_step].where, found.steps[0].where]

    def attempts(self) -> int:
        """How many times the same was tried: by the negotiations on the wire, else by the longer of both ends' counts."""
        cause = self.cause
        if cause is None:
            return 0
        wire = sum(1 for n in self.picture.negotiations if n.refusal_step >= 0)
        logged = [sum(1 for e, r in cause.all if e is end and r.what is cause.what) for end in self.picture.ends]
        return wire or max([*logged, 1])


def _same_kind(a: Refusal, b: Refusal) -> bool:
    return a.event.far or a.what is b.what


_SHEET_KEYS = {
    What.VERSION_REFUSED: ("ike",),
    What.MODE_REFUSED: ("mode",),
    What.METHOD_REFUSED: ("auth",),
    What.KEY_REFUSED: ("key_mark",),
    What.IKE_PROPOSAL_REFUSED: ("ike_proposal.0.encryption", "ike_proposal.0"),
    What.CHILD_PROPOSAL_REFUSED: ("esp_proposal.0.encryption", "esp_proposal.0"),
    What.SELECTORS_REFUSED: ("local_ts", "remote_ts"),
}
"""Where in a tunnel's sheet the value stands that decides."""


def last_event(end: End, *what: What) -> Event | None:
    """An end's latest event of these kinds."""
    return next((e for e in reversed(end.events) if e.what in what), None)


def sheet_place(end: End) -> Provenance | None:
    """Where an end's sheet stands, as proof of what it declares."""
    return end.sheet_place


def sheet_places(context: Context) -> tuple[Provenance, ...]:
    """Both sheets."""
    return tuple(p for p in map(sheet_place, context.picture.ends) if p is not None)


def listed(values: tuple[str, ...] | list[str], word: str = "or") -> str:
    """`19`, `19 or 20`, `14, 19 or 20`."""
    items = list(dict.fromkeys(values))
    if len(items) < 2:
        return "".join(items)
    return f"{', '.join(items[:-1])} {word} {items[-1]}"
