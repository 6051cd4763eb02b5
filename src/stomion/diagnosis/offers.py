"""What was offered and what would have been taken, gathered from wire, logs and sheets, and what to change."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.crypto.agreement import Miss, agree, nearest_miss
from stomion.crypto.strength import rank, strongest, weak_values
from stomion.diagnosis.spec import Context, listed
from stomion.exchange.negotiation import Negotiation
from stomion.model.finding import Remedy
from stomion.model.proposal import Proposal
from stomion.tunnel.picture import End
from stomion.tunnel.settings import Basis, Layer, accepted, declared_proposals, offered
from stomion.vocabulary.algorithms import is_known

SHOWN = 3
"""Offers named one by one; the rest are counted."""


def offer_rank(proposal: Proposal) -> tuple[int, int]:
    """For sorting by strength: weak values first of all, then how far down each value stands."""
    kinds = ("encryption", "integrity", "group")
    places = [rank(kind, value) for kind in kinds for value in proposal.values(kind)[:1]]
    return len(weak_values(proposal, proposal.protocol)), sum(places)


def named_offers(offers: Sequence[Proposal]) -> str:
    """`AES-CBC-128 · HMAC-SHA2-256-128 · group 5; 3DES · HMAC-SHA1-96 · group 2; and 2 more`."""
    more = f"; and {len(offers) - SHOWN} more" if len(offers) > SHOWN else ""
    return "; ".join(str(p) for p in offers[:SHOWN]) + more


def weakness(proposal: Proposal) -> str:
    """A warning in brackets where a proposal holds values that current guidance retires; else nothing."""
    weak = weak_values(proposal, proposal.protocol)
    return f" (weak: {listed(weak, 'and')}; only until something better is there)" if weak else ""


@dataclass(frozen=True, slots=True)
class Offers:
    """Both lists and the pair that comes nearest; `differs` are the kinds without a common value."""

    offered: tuple[Proposal, ...]
    accepted: tuple[Proposal, ...]
    miss: Miss | None

    @property
    def differs(self) -> tuple[str, ...]:
        return self.miss.kinds if self.miss else ()

    def all_offered(self, kind: str) -> tuple[str, ...]:
        """Every value of a kind on offer, in order."""
        return tuple(dict.fromkeys(v for p in self.offered for v in p.values(kind)))

    def all_accepted(self, kind: str) -> tuple[str, ...]:
        """Every value of a kind that would be taken, in order."""
        return tuple(dict.fromkeys(v for p in self.accepted for v in p.values(kind)))

    @property
    def combined(self) -> tuple[Proposal, ...]:
        """The offers that stand for themselves, strongest first, where they differ among each other in what is missed: mixing their values
        would make combinations that nobody offered. Empty where they don't."""
        kinds = self.differs or ("encryption", "integrity", "group")
        apart = {tuple(p.values(kind) for kind in kinds) for p in self.offered}
        return tuple(sorted(self.offered, key=offer_rank)) if len(apart) > 1 else ()

    def facts(self, asker: str, refuser: str) -> dict[str, object]:
        """For the JSON output."""
        found: dict[str, object] = {"differs": list(self.differs)}
        for kind in self.differs:
            found[kind] = {asker: list(self.all_offered(kind)), refuser: list(self.all_accepted(kind))}
        return found


def ike_offers(context: Context) -> Offers:
    """For a refused IKE SA."""
    cause = context.cause
    assert cause is not None
    refuser, asker = cause.by, context.asker
    refused = _refused(context)
    offers = offered(context.picture, asker, Layer.IKE, refused).value
    accepts = _taken(context, offers)
    if accepts and agree(offers, accepts):
        # What one end says it takes would do: the sheet or the log speaks of another time or connection.
        declared = declared_proposals(refuser, Layer.IKE)
        accepts = declared if not agree(offers, declared) else ()
    return Offers(offers, accepts, nearest_miss(offers, accepts))


def _taken(context: Context, offers: tuple[Proposal, ...]) -> tuple[Proposal, ...]:
    """What the refuser takes. Of a group that it asked for instead of the offered one, the rest of the offer was no matter."""
    assert context.cause is not None
    told = accepted(context.picture, context.cause.by, Layer.IKE)
    asked_again = next(
        (n for n in reversed(context.picture.negotiations) if n.wanted_group is not None and n.refusal), None
    )
    if told.source is not Basis.SEEN or told.where is None or told.where.packet is None or asked_again is None:
        return told.value if told.where is None or told.where.packet is None else ()
    return tuple(
        Proposal(Layer.IKE, p.encryption, p.integrity, p.prf, (str(asked_again.wanted_group),)) for p in offers[:1]
    )


def child_offers(context: Context) -> Offers:
    """For a refused Child SA. On the wire its proposals are encrypted: logs, sheets and the user's keys tell."""
    cause = context.cause
    assert cause is not None
    refuser, asker = cause.by, context.asker
    offers = offered(context.picture, asker, Layer.CHILD).value
    accepts = accepted(context.picture, refuser, Layer.CHILD).value
    miss = nearest_miss(offers, accepts)
    if miss is None and asker.child_proposals and refuser.child_proposals:
        offers, accepts = asker.child_proposals, refuser.child_proposals
        miss = nearest_miss(offers, accepts)
    return Offers(offers, accepts, miss)


def _refused(context: Context) -> Negotiation | None:
    """The negotiation whose offer was refused: that of the cause, else the last one on the wire that was."""
    if context.cause is not None and context.cause.negotiation is not None:
        return context.cause.negotiation
    found = (n for n in reversed(context.picture.negotiations) if n.refusal_step >= 0 and n.offered)
    return next(found, None)


def remedies_for(offers: Offers, asker: End, refuser: End, layer: str) -> tuple[Remedy, ...]:
    """Either end can add what the other has: the stronger choice is named first."""
    if offers.miss is None:
        return (
            Remedy(
                refuser.site, f"compare its {layer} proposals with what {asker.title} offers; add one that is offered"
            ),
            Remedy(asker.site, f"offer an {layer} proposal that {refuser.title} takes; ask its engineers which"),
        )
    at_asker = _additions(offers, "accepted")
    at_refuser = _best_offer(offers) or _warned(_additions(offers, "offered"), offers)
    added = ((asker, "offer", at_asker), (refuser, "allow", at_refuser))
    return tuple(Remedy(end.site, f"{verb} {values}") for end, verb, values in added if values)


def _best_offer(offers: Offers) -> str:
    """The strongest of several separate offers, whole; empty where the offers don't differ in what is missed."""
    best = next(iter(offers.combined), None)
    return f"{best}, the strongest of what is offered{weakness(best)}" if best is not None else ""


def _warned(values: str, offers: Offers) -> str:
    """What to add, with a warning where what is offered of it is weak."""
    if not values or not offers.offered:
        return values
    first = offers.offered[0]
    encryption, integrity, prf, group = (first.values(k) if k in offers.differs else () for k in _KINDS)
    return values + weakness(Proposal(first.protocol, encryption, integrity, prf, group))


_KINDS = ("encryption", "integrity", "prf", "group")


def _additions(offers: Offers, source: str) -> str:
    """What to add so that the other end's list is met."""
    parts = []
    for kind in offers.differs:
        values = offers.all_accepted(kind) if source == "accepted" else offers.all_offered(kind)
        values = tuple(v for v in values if is_known(kind, v))
        best = strongest(kind, values)
        others = [v for v in values if v != best]
        word = "group " if kind == "group" else "PRF " if kind == "prf" else ""
        if not best:
            # Of a kind whose every value is a slip there is nothing to add.
            return ""
        parts.append(word + listed([best, *others]))
    return " and ".join(parts)
