"""What each end of a tunnel is set to: the one place that answers it, with where the answer comes from.

Three questions, each with its order of sources; every screen, list and finding asks here.

- `known` (what is an end set to?): its sheet; else what it was seen to do, its packets before its log; else what its peer's log says of it.
  A sheet leads, as it alone is complete. What was seen and can't be, were the sheet in force, stands beside it in `against`.
- `offered` (what did an end ask for?): its packets of the refused negotiation, what its peer's refusal names, its own log, its sheet.
  An offer is a fact: what was sent comes before what is declared.
- `accepted` (what does an end take?): its own word in a refusal, its sheet, what it chose or wanted on the wire.
  An answer on the wire is one choice out of all that an end would take, and so comes last.

The order of ranges (`ranges`) is that of `known`, with the words of a refusal before all: they name both wishes on one line.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Generic, TypeVar

from stomion.crypto.agreement import agree
from stomion.exchange.inside import child_asked
from stomion.exchange.negotiation import Negotiation
from stomion.model.event import Event, What
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.model.site import SheetProposal, SheetTunnel
from stomion.space.ranges import common
from stomion.tunnel.picture import End, Picture


class Layer(StrEnum):
    """Which of the two SAs a proposal is for; the values are the names of their protocols."""

    IKE = "IKE"
    CHILD = "ESP"


class Basis(StrEnum):
    """Where an answer comes from; the words are those that the compare screen shows."""

    DECLARED = "declared"
    SEEN = "seen"
    INFERRED = "inferred"
    NONE = ""


Value = TypeVar("Value")


@dataclass(frozen=True, slots=True)
class Known(Generic[Value]):
    """A value with its source and place; `against` is what was seen of the same end and contradicts it."""

    value: Value
    source: Basis = Basis.NONE
    where: Provenance | None = None
    against: Known[Value] | None = None

    def __bool__(self) -> bool:
        return bool(self.value)


Proposals = Known[tuple[Proposal, ...]]
NO_PROPOSALS: Proposals = Known(())


@dataclass(frozen=True, slots=True)
class Ranges:
    """What an end wants to join: its own side and the peer's side; empty where nothing tells."""

    near: tuple[str, ...] = ()
    remote: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.near or self.remote)

    @property
    def whole(self) -> bool:
        """Are both sides known?"""
        return bool(self.near and self.remote)


def known(picture: Picture, end: End, layer: Layer) -> Proposals:
    """What an end is set to for a layer."""
    declared, shown = _declared(end, layer), seen(picture, end, layer)
    if not declared:
        return shown
    differs = shown.source is Basis.SEEN and agree(declared.value, shown.value, picture.version or 2) is None
    return Known(declared.value, Basis.DECLARED, declared.where, shown if differs else None)


def seen(picture: Picture, end: End, layer: Layer) -> Proposals:
    """The same without the sheet: its packets, its log, its peer's log."""
    own = _in_log(end.events, layer, mine=True)
    heard = _in_log(picture.other(end).events, layer, mine=False)
    return _first(
        _on_the_wire(picture, end, layer),
        Known(own.value, Basis.SEEN, own.where),
        Known(heard.value, Basis.INFERRED, heard.where),
    )


def offered(picture: Picture, end: End, layer: Layer, refused: Negotiation | None = None) -> Proposals:
    """What an end asked for, as far as it is known; `refused` is the negotiation that was refused, where one was captured."""
    other = picture.other(end)
    on_wire: Proposals = NO_PROPOSALS
    if layer is Layer.CHILD:
        on_wire = _sealed(picture, end)
    elif refused is not None and refused.initiator in end.addresses:
        on_wire = Known(refused.offered, Basis.SEEN, refused.steps[0].where)
    peers_word, own_word = _named(other, layer, mine=False), _named(end, layer, mine=True)
    # A child's proposals are encrypted: only the user's keys show them, and a refusal's own line is nearer to them.
    first = (peers_word, on_wire) if layer is Layer.CHILD else (on_wire, peers_word)
    return _first(*first, own_word, _declared(end, layer))


def accepted(picture: Picture, end: End, layer: Layer) -> Proposals:
    """What an end takes, as far as it is known."""
    return _first(_named(end, layer, mine=True), _declared(end, layer), _chosen(picture, end, layer))


def declared_proposals(end: End, layer: Layer) -> tuple[Proposal, ...]:
    """What an end's sheet says alone; for arithmetic on two sheets."""
    return end.ike_proposals if layer is Layer.IKE else end.child_proposals


def _first(*found: Proposals) -> Proposals:
    return next((f for f in found if f), NO_PROPOSALS)


def _declared(end: End, layer: Layer) -> Proposals:
    return Known(declared_proposals(end, layer), Basis.DECLARED, end.sheet_place)


def _on_the_wire(picture: Picture, end: End, layer: Layer) -> Proposals:
    if layer is Layer.CHILD:
        return _sealed(picture, end)
    for negotiation in reversed(picture.negotiations):
        if negotiation.initiator in end.addresses and negotiation.offered:
            return Known(negotiation.offered, Basis.SEEN, negotiation.steps[0].where)
        if negotiation.responder in end.addresses and (found := _answer(negotiation)):
            return Known(found, Basis.SEEN, negotiation.steps[0].where)
    return NO_PROPOSALS


def _chosen(picture: Picture, end: End, layer: Layer) -> Proposals:
    """What an end answered to offers: its choice, or the group it wants (RFC 7296 1.3, INVALID_KE_PAYLOAD)."""
    if layer is Layer.CHILD:
        return NO_PROPOSALS
    answered = [n for n in reversed(picture.negotiations) if n.responder in end.addresses]
    found = next(((n, a) for n in answered if (a := _answer(n))), None)
    return Known(found[1], Basis.SEEN, found[0].steps[0].where) if found is not None else NO_PROPOSALS


def _answer(negotiation: Negotiation) -> tuple[Proposal, ...]:
    if negotiation.chosen:
        return negotiation.chosen
    if negotiation.wanted_group is not None and negotiation.refusal:
        return (Proposal(Layer.IKE, group=(str(negotiation.wanted_group),)),)
    return ()


def _sealed(picture: Picture, end: End) -> Proposals:
    """What the user's keys show of a request for a Child SA."""
    inside = child_asked(picture.negotiations)
    if inside is None or inside.initiator not in end.addresses:
        return NO_PROPOSALS
    return Known(inside.proposals, Basis.SEEN, inside.step.where)


_CHILD_REFUSALS = (What.CHILD_PROPOSAL_REFUSED, What.PFS_REFUSED, What.PROPOSAL_REFUSED)
_NAMING = (What.PROPOSALS, What.PROPOSAL_REFUSED, What.IKE_PROPOSAL_REFUSED, *_CHILD_REFUSALS)


def _named(end: End, layer: Layer, *, mine: bool) -> Proposals:
    """The last proposals an end's log names as its own or as its peer's: a refusal's own line first, then any that lists some."""
    refusals = (What.IKE_PROPOSAL_REFUSED,) if layer is Layer.IKE else _CHILD_REFUSALS
    for kinds in (refusals, _NAMING):
        for event in reversed(end.events):
            said = _said(event, mine) if event.what in kinds else None
            if said is not None and (said.protocol == layer or event.what in refusals):
                found = _listed(end, event, mine) or (not mine and event.offers) or (said,)
                return Known(found, Basis.SEEN if mine else Basis.INFERRED, event.where)
    return NO_PROPOSALS


def _listed(end: End, last: Event, mine: bool) -> tuple[Proposal, ...]:
    """The proposals on the lines straight above `last`, of the same layer and connection, and its own."""
    wanted = _said(last, mine)
    found: list[Proposal] = []
    line = last.where.line or 0
    for event in reversed(end.events):
        said = _said(event, mine)
        same = event.what is What.PROPOSALS and event.where.file == last.where.file and event.conn == last.conn
        if same and event.where.line == line and said and wanted and said.protocol == wanted.protocol:
            found.append(said)
            line -= 1
    return tuple(reversed(found))


def _said(event: Event, mine: bool) -> Proposal | None:
    return event.mine if mine else event.theirs


def _in_log(events: Sequence[Event], layer: Layer, *, mine: bool) -> Proposals:
    """The last proposal of a layer that any line names."""
    for event in reversed(events):
        said = _said(event, mine)
        child = event.layer == "child" or event.what in (What.CHILD_PROPOSAL_REFUSED, What.PFS_REFUSED, What.CHILD_UP)
        if said is not None and (said.protocol or (Layer.CHILD if child else Layer.IKE)) == layer:
            return Known((not mine and event.offers) or (said,), Basis.INFERRED, event.where)
    return NO_PROPOSALS


_TELLS_RANGES = (What.CHILD_UP, What.SELECTORS_REFUSED, What.CONFIGURED, What.INITIATING)


def ranges(picture: Picture, end: End) -> Known[Ranges]:
    """The ranges an end is set to join: its sheet, its opened packets, its log, what its peer's log heard it ask for."""
    if end.sheet is not None and (end.sheet.local_ts or end.sheet.remote_ts):
        return Known(Ranges(end.sheet.local_ts, end.sheet.remote_ts), Basis.DECLARED, end.sheet_place)
    return seen_ranges(picture, end)


def seen_ranges(picture: Picture, end: End) -> Known[Ranges]:
    """The same without the sheet."""
    asked = asked_ranges(picture, end)
    if asked:
        return asked
    own = _ranges_told(end.events)
    if own is not None:
        return Known(Ranges(own.my_ts[:1], own.my_ts[1:]), Basis.SEEN, own.where)
    return _ranges_heard(picture.other(end).events)


def asked_ranges(picture: Picture, end: End) -> Known[Ranges]:
    """What the user's keys show that an end asked for."""
    inside = child_asked(picture.negotiations)
    if inside is None or inside.initiator not in end.addresses:
        return Known(Ranges())
    return Known(Ranges(inside.near, inside.remote), Basis.SEEN, inside.step.where)


def _ranges_told(events: Sequence[Event]) -> Event | None:
    return next((e for e in reversed(events) if len(e.my_ts) == 2 and e.what in _TELLS_RANGES), None)


def _ranges_heard(events: Iterable[Event]) -> Known[Ranges]:
    """What a log says that its peer asked for; the pair is written from the writer's side."""
    for event in reversed(list(events)):
        if len(event.their_ts) == 2 and event.my_ts:
            first, second = event.their_ts
            own_first = bool(common([first], event.my_ts[:1]))
            near, remote = ((second,), (first,)) if own_first else ((first,), (second,))
            return Known(Ranges(near, remote), Basis.INFERRED, event.where)
    return Known(Ranges())


def version(picture: Picture, end: End) -> Known[int | None]:
    """The IKE version an end is set to: its sheet, its log, what it asked with."""
    if end.sheet is not None and end.sheet.ike:
        return Known(end.sheet.ike, Basis.DECLARED, end.sheet_place)
    if end.story.version:
        return Known(end.story.version, Basis.SEEN)
    last = picture.last
    if last is not None and last.initiator in end.addresses:
        return Known(last.version, Basis.SEEN, last.steps[0].where)
    return Known(None)


def standing_sheet(picture: Picture, end: End) -> SheetTunnel:
    """An end's sheet, completed with what was seen where it has none."""
    if end.sheet is not None:
        return end.sheet
    wanted = seen_ranges(picture, end).value
    ike, child = (tuple(_as_sheet(p) for p in known(picture, end, layer).value) for layer in Layer)
    other = picture.other(end)
    return SheetTunnel(
        picture.name, other.site, end.address, other.address, picture.version,
        local_ts=wanted.near, remote_ts=wanted.remote, ike_proposal=ike, esp_proposal=child,
    )  # fmt: skip


def _as_sheet(p: Proposal) -> SheetProposal:
    return SheetProposal(
        p.encryption, p.integrity, p.prf, tuple(int(g) if g.isdecimal() else g for g in p.group), p.lifetime_s
    )
