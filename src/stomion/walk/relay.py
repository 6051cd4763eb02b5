"""From one tunnel into another: all packets between two sites by way of a third one, whose gateway decides on them in between."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from msgspec.structs import replace

from stomion.model.box import Box
from stomion.model.tables import State
from stomion.space.boxes import Region
from stomion.walk.gateway import inbound
from stomion.walk.journey import Leg, Sealed, Side, arrive, between, depart, is_ours
from stomion.walk.passage import Fate, Passage, Reason


@dataclass(frozen=True, slots=True)
class Stop:
    """Packets, as they were when they set out, that end on the way: at which site, and how.

    `says` is a clause; empty where a host and not the gateway decided."""

    box: Box
    site: str
    fate: Fate
    says: str


@dataclass(frozen=True, slots=True)
class Relayed:
    """All packets between two sides in one direction: what arrives, and what ends where."""

    arrives: Region
    stops: tuple[Stop, ...]


def relayed(sender: Side, between_them: tuple[Side, Side], receiver: Side) -> Relayed:
    """`between_them` is the site in between twice: as the end of the first tunnel, and as that of the second one. A gateway
    without known tables lets everything pass.

    Raises TooMany where the packets fall into too many parts."""
    legs: list[Leg] = []
    stops: list[Stop] = []
    sealed = _held(between_them, depart(sender, between(sender, receiver), State.NEW, legs), stops)
    stops += [Stop(leg.box, sender.site, leg.fate, leg.says) for leg in legs]
    last = arrive(receiver, sealed, State.NEW)
    stops += [Stop(leg.box, receiver.site, leg.fate, leg.says) for leg in last if leg.fate is not Fate.CARRIED]
    return Relayed(Region(tuple(leg.box for leg in last if leg.fate is Fate.CARRIED)), tuple(stops))


def _held(sides: tuple[Side, Side], sealed: Iterable[Sealed], stops: list[Stop]) -> list[Sealed]:
    """What the gateway in between takes out of the first tunnel and puts into the second."""
    into, out = sides
    found = list(sealed)
    if into.gateway is None:
        return found
    # A mark is one machine's own: what arrives out of a tunnel has none.
    pieces = [replace(piece, tag=i, mark=0) for i, (piece, _) in enumerate(found)]
    on: list[Sealed] = []
    for passage in inbound(into.gateway, pieces, into.policies, State.NEW):
        step = passage.steps[-1] if passage.steps else None
        goes_on = passage.fate is Fate.CARRIED and step is not None and step.reason is Reason.INTO_OTHER_TUNNEL
        if goes_on and step is not None and step.policy is not None and is_ours(step.policy, out.policies):
            on.append((replace(passage.piece, tag=0), found[passage.tag][1]))
        else:
            stops.append(_stopped(passage, into.site))
    return on


def _stopped(passage: Passage, site: str) -> Stop:
    """How it ends in between; what goes to a LAN there, or into a third tunnel, goes astray."""
    says = passage.steps[-1].says if passage.steps else ""
    fate = Fate.LEAKED if passage.fate is Fate.CARRIED else passage.fate
    return Stop(passage.piece.box, site, fate, says)
