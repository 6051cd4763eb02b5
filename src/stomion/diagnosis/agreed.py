"""What both ends settled on, or would settle on: from logs and packets, else from the sheets."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.crypto.agreement import would_choose
from stomion.diagnosis.spec import Context, Spec, sheet_places
from stomion.model.finding import Certainty, Finding, Remedy
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.tunnel.picture import Picture
from stomion.tunnel.settings import Layer, declared_proposals


def agreed_proposals(picture: Picture, layer: Layer) -> list[tuple[Proposal, Provenance | None]]:
    """The agreed proposal with its proof: at most one, as it was chosen on the wire or in a log;"""
    if layer is Layer.IKE:
        for negotiation in reversed(picture.negotiations):
            if negotiation.chosen:
                return [(negotiation.chosen[0], negotiation.steps[0].where)]
        for end in picture.ends:
            event = end.story.ike_agreed
            if event is not None and event.mine is not None:
                return [(event.mine, event.where)]
    left, right = picture.ends
    mine, theirs = (declared_proposals(e, layer) for e in (left, right))
    found = would_choose(mine, theirs, picture.version or 2)
    return [(found, left.sheet_place)] if found is not None else []


def lifetimes(proposals: Sequence[Proposal]) -> int:
    """The shortest lifetime that a list of proposals names, in seconds; 0 where it names none."""
    return min((p.lifetime_s for p in proposals if p.lifetime_s), default=0)


def lifetime_difference(context: Context, spec: Spec, layer: Layer, name: str) -> Finding | None:
    """The caution that two sheets give an SA different lifetimes; `name` is the SA's in words."""
    left, right = context.picture.ends
    mine, theirs = (lifetimes(declared_proposals(e, layer)) for e in (left, right))
    if not mine or not theirs or mine == theirs:
        return None
    first, later = (left, right) if mine < theirs else (right, left)
    return spec.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} gives its {name} {mine:,} s, {right.title} {theirs:,} s; {first.title} will renew first.",
        [Remedy(later.site, f"set {min(mine, theirs)} s as well, where the ends should be equal")],
        sheet_places(context),
        {left.site: mine, right.site: theirs},
    )
