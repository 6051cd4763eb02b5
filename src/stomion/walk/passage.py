"""What becomes of packets on their way: a piece of a set with its fate, and the decisions that led to it.

A decision is data: what was decided, why, by which rule, route or tunnel. Its sentence (`Step.says`) is made here, once, when somebody
wants to read it; nothing is ever decided by comparing sentences.
"""

from __future__ import annotations

from collections.abc import Callable
from enum import StrEnum

import msgspec
from msgspec.structs import replace

from stomion.model.provenance import Provenance
from stomion.model.tables import Chain, Policy, Rule
from stomion.space.axis import address_text
from stomion.space.boxes import SOURCE
from stomion.walk.chains import Setting
from stomion.walk.pieces import Piece
from stomion.walk.routing import Ending, Way


class Fate(StrEnum):
    """What becomes of packets; the words are those that people read."""

    CARRIED = "carried"
    TRANSLATED = "translated"
    LEAKED = "unencrypted"
    DROPPED = "dropped"
    LOST = "no route"
    LOOPING = "looping"
    LOCAL = "gateway's own"
    UNCERTAIN = "uncertain"


class Decision(StrEnum):
    """What kind of decision a step is; the words are the headings of the path screen."""

    HOST = "host"
    TRANSLATION = "translation"
    ROUTE = "route"
    FILTER = "filter"
    TUNNEL = "tunnel"
    HOST_FILTER = "host filter"


class Reason(StrEnum):
    """Why a step went as it did."""

    HOST_NO_ROUTE = "host-no-route"
    HOST_ROUTE_ENDS = "host-route-ends"
    HOST_SENDS_ELSEWHERE = "host-sends-elsewhere"
    TRANSLATED = "translated"
    EXEMPT = "exempt"
    TRANSLATION_DROPS = "translation-drops"
    TRANSLATION_UNCLEAR = "translation-unclear"
    ROUTED = "routed"
    FOR_ITSELF = "for-itself"
    NO_ROUTE = "no-route"
    ROUTE_ENDS = "route-ends"
    ROUTING_UNCLEAR = "routing-unclear"
    FORWARDING_OFF = "forwarding-off"
    HOPS_DIFFER = "hops-differ"
    TURNED_BACK = "turned-back"
    PASSES = "passes"
    DROPS = "drops"
    REJECTS = "rejects"
    FILTER_UNCLEAR = "filter-unclear"
    INTO_TUNNEL = "into-tunnel"
    INTO_OTHER_TUNNEL = "into-other-tunnel"
    BACK_INTO_TUNNEL = "back-into-tunnel"
    OUTSIDE_SELECTORS = "outside-selectors"
    NO_SELECTORS_FIT = "no-selectors-fit"
    NO_TUNNEL_TAKES_IT = "no-tunnel-takes-it"
    NEVER_ASKED = "never-asked"


class Step(msgspec.Struct, frozen=True):
    """One decision on the way and its reason; `where` it stands, by which rule, route or tunnel.

    `sets` is what a translation makes of the packet: the axis (see space.boxes) and its new value. `translated` tells that a
    translation changed the packet before; `note` is a detail of the reason: what is not understood, or each next hop's fate.
    """

    what: Decision
    reason: Reason
    where: Provenance | None = None
    rule: Rule | None = None
    chain: Chain | None = None
    way: Way | None = None
    policy: Policy | None = None
    sets: tuple[int, int] | None = None
    translated: bool = False
    note: str = ""

    @property
    def says(self) -> str:
        """The decision as a clause, without the machine that made it."""
        return _SENTENCES[self.reason](self)

    @property
    def cause(self) -> tuple[object, ...]:
        """What tells two decisions apart, for grouping packets that fare alike."""
        ended = self.way.end if self.way is not None else None
        return self.reason, id(self.rule), ended, self.policy.tunnel if self.policy is not None else "", self.note


def rule_words(step: Step) -> str:
    """`rule 2 “no translation towards Marram”`, or the end of the list that decided."""
    if step.rule is not None:
        return step.rule.label
    return f"the end of {step.chain.name if step.chain is not None else 'the list'}"


def _unclear(step: Step) -> str:
    chain = f" in {step.chain.name}" if step.chain is not None else ""
    return f"{rule_words(step)}{chain} is not understood: {step.note}"


def _makes(step: Step) -> str:
    assert step.sets is not None
    axis, value = step.sets
    return f"{rule_words(step)} makes its {'source' if axis == SOURCE else 'destination'} {address_text(value)}"


def _out_of(step: Step) -> str:
    assert step.way is not None
    return f"out of {step.way.dev}" + (f" via {step.way.via}" if step.way.via else "")


_SENTENCES: dict[Reason, Callable[[Step], str]] = {
    Reason.HOST_NO_ROUTE: lambda s: "the host has no route there",
    Reason.HOST_ROUTE_ENDS: lambda s: f"the host's route ends it: {_end(s)}",
    Reason.HOST_SENDS_ELSEWHERE: lambda s: f"the host sends it to {_via(s)}, which is not the gateway",
    Reason.TRANSLATED: _makes,
    Reason.EXEMPT: lambda s: f"{rule_words(s)} leaves it as it is",
    Reason.TRANSLATION_DROPS: lambda s: f"{rule_words(s)} drops it",
    Reason.TRANSLATION_UNCLEAR: _unclear,
    Reason.ROUTED: _out_of,
    Reason.FOR_ITSELF: lambda s: "for this machine itself",
    Reason.NO_ROUTE: lambda s: "no route",
    Reason.ROUTE_ENDS: lambda s: f"the route ends it: {_end(s)}",
    Reason.ROUTING_UNCLEAR: lambda s: f"the routing is not understood: {s.note}",
    Reason.FORWARDING_OFF: lambda s: "forwarding is switched off",
    Reason.HOPS_DIFFER: lambda s: f"it depends on the next hop taken ({s.note})",
    Reason.TURNED_BACK: lambda s: f"turned back out of {s.way.dev if s.way else ''}, where it came in",
    Reason.PASSES: lambda s: f"{rule_words(s)} lets it pass",
    Reason.DROPS: lambda s: f"{rule_words(s)} drops it",
    Reason.REJECTS: lambda s: f"{rule_words(s)} rejects it",
    Reason.FILTER_UNCLEAR: _unclear,
    Reason.INTO_TUNNEL: lambda s: f"into the tunnel {_tunnel(s)}",
    Reason.INTO_OTHER_TUNNEL: lambda s: f"into another tunnel, {_tunnel(s)}" if s.policy else "into another tunnel",
    Reason.BACK_INTO_TUNNEL: lambda s: "back into the tunnel it came out of",
    Reason.OUTSIDE_SELECTORS: lambda s: "outside the tunnel's selectors at this end",
    Reason.NO_SELECTORS_FIT: lambda s: "no tunnel's selectors fit it" + (" once translated" if s.translated else ""),
    Reason.NO_TUNNEL_TAKES_IT: lambda s: (
        "no tunnel takes it, it leaves unencrypted" + (", translated" if s.translated else "")
    ),
    Reason.NEVER_ASKED: lambda s: f"{rule_words(s)} {s.note}, never asked",
}


def _end(step: Step) -> str:
    ended = step.way.end if step.way is not None else None
    return ended.value if ended is not None else Ending.NO_ROUTE.value


def _via(step: Step) -> str:
    return step.way.via if step.way is not None else ""


def _tunnel(step: Step) -> str:
    return step.policy.tunnel if step.policy is not None else ""


class Passage(msgspec.Struct, frozen=True):
    """A piece that went through a gateway, or ended there.

    `decided` is the step that decided its fate, where that is not the last one: a translation, or the route that led astray.
    """

    piece: Piece
    fate: Fate
    steps: tuple[Step, ...] = ()
    decided: Step | None = None
    way: Way | None = None
    policy: Policy | None = None
    setting: Setting = msgspec.field(default_factory=Setting)
    """Where the deciding rule was asked: interfaces, zones, state."""
    tag: int = 0
    """Which of the pieces that came in this is a part of."""

    @property
    def rule(self) -> Rule | None:
        """The rule that decided its fate, where one did."""
        return self.decided.rule if self.decided is not None else None

    @property
    def chain(self) -> Chain | None:
        """The chain whose rule or end decided."""
        return self.decided.chain if self.decided is not None else None

    def after(self, step: Step, **more: object) -> Passage:
        """One step on."""
        return replace(self, steps=(*self.steps, step), **more)

    def ends(self, step: Step, fate: Fate) -> Passage:
        """The step that ends the way."""
        return self.after(step, fate=fate, decided=step)
