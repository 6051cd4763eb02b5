"""What both ends settled on, or would settle on: from logs and packets, else from the sheets."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.algebra.proposals import agreement, settled
from stomion.exchange.picture import Picture
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance


def agreed_proposals(picture: Picture, layer: str) -> list[tuple[Proposal, Provenance | None]]:
    """The agreed proposal with its proof: at most one, as it was chosen on the wire or in a log; `layer` is IKE or ESP."""
    if layer == "IKE":
        for negotiation in reversed(picture.negotiations):
            if negotiation.chosen:
                return [(negotiation.chosen[0], negotiation.steps[0].where)]
        for end in picture.ends:
            event = end.story.ike_agreed
            if event is not None and event.mine is not None:
                return [(event.mine, event.where)]
    left, right = picture.ends
    mine, theirs = (
        (left.ike_proposals, right.ike_proposals) if layer == "IKE" else (left.child_proposals, right.child_proposals)
    )
    found = agreement(mine, theirs)
    if found is None:
        return []
    return [(settled(*found), left.sheet_place)]


def lifetimes(proposals: Sequence[Proposal]) -> int:
    """The shortest lifetime that a list of proposals names, in seconds; 0 where it names none."""
    return min((p.lifetime_s for p in proposals if p.lifetime_s), default=0)
