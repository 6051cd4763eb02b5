"""What each end is set to, in one vocabulary: declared in its sheet, seen of itself, or inferred from what its peer saw.

The sheet leads where there is one. Where a gateway was seen to do something else, the value says both (`also`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.exchange.inside import child_asked
from stomion.exchange.negotiation import Negotiation
from stomion.model.event import Event, What
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.model.site import SheetProposal, SheetTunnel
from stomion.tunnel.picture import End, Picture

DECLARED, SEEN, INFERRED = "declared", "seen", "inferred"


@dataclass(frozen=True, slots=True)
class Told:
    """Proposals of one layer with where they come from; `origin` is one of DECLARED, SEEN, INFERRED, or empty."""

    proposals: tuple[Proposal, ...] = ()
    origin: str = ""
    where: Provenance | None = None


def told_proposals(picture: Picture, end: End, layer: str) -> Told:
    """What an end offers or takes for a layer (`IKE` or `ESP`), from the best source there is."""
    declared = end.ike_proposals if layer == "IKE" else end.child_proposals
    if declared:
        return Told(declared, DECLARED, end.sheet_place)
    return seen_proposals(picture, end, layer)


def seen_proposals(picture: Picture, end: End, layer: str) -> Told:
    """The same without the sheet: its packets, its log, its peer's log, in this order."""
    wire = _on_the_wire(picture, end, layer)
    if wire.proposals:
        return wire
    own = _in_log(end.events, layer, "mine")
    if own.proposals:
        return Told(own.proposals, SEEN, own.where)
    return _in_log(picture.other(end).events, layer, "theirs")


def _on_the_wire(picture: Picture, end: End, layer: str) -> Told:
    if layer == "ESP":
        inside = child_asked(picture.negotiations)
        if inside is not None and inside.initiator in end.addresses and inside.proposals:
            return Told(inside.proposals, SEEN, inside.step.where)
        return Told()
    for negotiation in reversed(picture.negotiations):
        found = _of(negotiation, end)
        if found:
            return Told(found, SEEN, negotiation.steps[0].where)
    return Told()


def _of(negotiation: Negotiation, end: End) -> tuple[Proposal, ...]:
    if negotiation.initiator in end.addresses:
        return negotiation.offered
    if negotiation.responder in end.addresses and negotiation.chosen:
        return negotiation.chosen
    if negotiation.responder in end.addresses and negotiation.wanted_group is not None and negotiation.refusal:
        return (Proposal("IKE", group=(str(negotiation.wanted_group),)),)
    return ()


def _in_log(events: Sequence[Event], layer: str, whose: str) -> Told:
    for event in reversed(events):
        found: Proposal | None = getattr(event, whose)
        child = event.layer == "child" or event.what in (What.CHILD_PROPOSAL_REFUSED, What.PFS_REFUSED, What.CHILD_UP)
        if found is not None and (found.protocol or ("ESP" if child else "IKE")) == layer:
            return Told((found,), INFERRED, event.where)
    return Told()


def seen_selectors(picture: Picture, end: End) -> tuple[tuple[str, ...], tuple[str, ...], Provenance | None]:
    """(own ranges, the peer's ranges, place) an end was seen to want; empty where nothing tells."""
    inside = child_asked(picture.negotiations)
    if inside is not None and inside.initiator in end.addresses:
        return inside.near, inside.remote, inside.step.where
    for event in reversed(end.events):
        if len(event.my_ts) == 2 and event.what in (What.CHILD_UP, What.SELECTORS_REFUSED, What.CONFIGURED):
            return event.my_ts[:1], event.my_ts[1:], event.where
    return (), (), None


def standing_sheet(picture: Picture, end: End) -> SheetTunnel:
    """An end's sheet, completed with what was seen where it has none."""
    if end.sheet is not None:
        return end.sheet
    near, remote, _ = seen_selectors(picture, end)
    ike, child = (
        tuple(_as_sheet(p) for p in told_proposals(picture, end, layer).proposals) for layer in ("IKE", "ESP")
    )
    other = picture.other(end)
    return SheetTunnel(
        picture.name, other.site, end.address, other.address, picture.version,
        local_ts=near, remote_ts=remote, ike_proposal=ike, esp_proposal=child,
    )  # fmt: skip


def _as_sheet(p: Proposal) -> SheetProposal:
    return SheetProposal(
        p.encryption, p.integrity, p.prf, tuple(int(g) if g.isdigit() else g for g in p.group), p.lifetime_s
    )
