"""What was offered and what would have been taken, gathered from wire, logs and sheets, and what to change."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.crypto.agreement import Miss, agree, nearest_miss
from stomion.crypto.strength import strongest
from stomion.diagnosis.spec import Context, listed
from stomion.exchange.negotiation import Negotiation
from stomion.model.finding import Remedy
from stomion.model.proposal import Proposal
from stomion.tunnel.picture import End
from stomion.tunnel.settings import Basis, Layer, accepted, declared_proposals, offered
from stomion.vocabulary.algorithms import is_known


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
    at_refuser = _additions(offers, "offered")
    added = ((asker, "offer", at_asker), (refuser, "allow", at_refuser))
    return tuple(Remedy(end.site, f"{verb} {values}") for end, verb, values in added if values)


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
