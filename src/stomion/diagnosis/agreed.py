"""What both ends settled on, or would settle on: from logs and packets, else from the sheets."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.crypto.agreement import agree
from stomion.crypto.proposals import settled
from stomion.diagnosis.spec import Context, Spec
from stomion.model.finding import Certainty, Finding, Remedy
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.tunnel.picture import Picture
from stomion.tunnel.settings import Layer, declared_proposals

Agreed = tuple[Proposal, tuple[Provenance | None, ...]]


def agreed_proposals(picture: Picture, layer: Layer) -> list[Agreed]:
    """The agreed proposal with its proof: at most one, as it was chosen on the wire or in a log, else as both sheets come to it."""
    if layer is Layer.IKE:
        for negotiation in reversed(picture.negotiations):
            if negotiation.chosen:
                return [(negotiation.chosen[0], (negotiation.steps[0].where,))]
        for end in picture.ends:
            event = end.story.ike_agreed
            if event is not None and event.mine is not None:
                return [(event.mine, (event.where,))]
    left, right = picture.ends
    mine, theirs = (declared_proposals(e, layer) for e in (left, right))
    pair = agree(mine, theirs, picture.version or 2)
    if pair is None:
        return []
    key = "ike_proposal" if layer is Layer.IKE else "esp_proposal"
    at = [(left, mine.index(pair[0])), (right, theirs.index(pair[1]))]
    return [(settled(*pair), tuple(end.sheet_at(f"{key}.{number}.{_FIRST}") for end, number in at))]


_FIRST = "encryption"
"""The value that a sheet's proposal begins with."""


TOO_SHORT_S = 120
"""An SA that lives for less is renewed all the time: nobody means it."""


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
    short, long = sorted((mine, theirs))
    slip = short < TOO_SHORT_S <= long or (short > TOO_SHORT_S and sorted(str(short)) == sorted(str(long)))
    key = "ike_proposal" if layer is Layer.IKE else "esp_proposal"
    advice = (
        f"set {long} s, as at {later.title}: {short} s looks like a slip"
        if slip
        else (f"set {long} s as at {later.title}, if it should not renew so often; they need not be equal")
    )
    return spec.finding(
        [left.site, right.site],
        Certainty.PROVEN,
        f"{left.title} gives its {name} {mine:,} s, {right.title} {theirs:,} s; {first.title} will renew first.",
        [Remedy(first.site, advice)],
        [end.sheet_at(f"{key}.0.lifetime_s", key) for end in (left, right)],
        {left.site: mine, right.site: theirs},
    )
