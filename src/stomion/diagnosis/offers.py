"""What was offered and what would have been taken, gathered from wire, logs and sheets, and what to change."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.crypto.agreement import Miss, agree, nearest_miss
from stomion.crypto.strength import strongest
from stomion.diagnosis.spec import Context, listed
from stomion.exchange.inside import child_asked
from stomion.model.event import Event, What
from stomion.model.finding import Remedy
from stomion.model.proposal import Proposal
from stomion.tunnel.picture import End

_CHILD = frozenset({What.CHILD_PROPOSAL_REFUSED, What.PFS_REFUSED, What.PROPOSAL_REFUSED})


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
    offered = (
        _of_wire(context) or _named(refuser, "theirs", "IKE") or _named(asker, "mine", "IKE") or asker.ike_proposals
    )
    accepted = _named(refuser, "mine", "IKE") or refuser.ike_proposals
    wanted = _wanted_group(context)
    if not accepted and wanted and offered:
        accepted = tuple(Proposal("IKE", p.encryption, p.integrity, p.prf, (wanted,)) for p in offered[:1])
    if accepted and agree(offered, accepted):
        # What one end says it takes would do: the sheet or the log speaks of another time or connection.
        accepted = refuser.ike_proposals if not agree(offered, refuser.ike_proposals) else ()
    return Offers(tuple(offered), tuple(accepted), nearest_miss(offered, accepted))


def child_offers(context: Context) -> Offers:
    """For a refused Child SA. On the wire its proposals are encrypted: logs, sheets and the user's keys tell."""
    cause = context.cause
    assert cause is not None
    refuser, asker = cause.by, context.asker
    inside = child_asked(context.picture.negotiations)
    sealed = inside.proposals if inside is not None and inside.initiator in asker.addresses else ()
    offered = _named(refuser, "theirs", "ESP") or sealed or _named(asker, "mine", "ESP") or asker.child_proposals
    accepted = _named(refuser, "mine", "ESP") or refuser.child_proposals
    miss = nearest_miss(offered, accepted)
    if miss is None and asker.child_proposals and refuser.child_proposals:
        offered, accepted = asker.child_proposals, refuser.child_proposals
        miss = nearest_miss(offered, accepted)
    return Offers(tuple(offered), tuple(accepted), miss)


def _of_wire(context: Context) -> tuple[Proposal, ...]:
    cause = context.cause
    negotiation = (cause.negotiation if cause else None) or next(
        (n for n in reversed(context.picture.negotiations) if n.refusal_step >= 0 and n.offered), None
    )
    if negotiation is None or (cause and context.picture.end_at(negotiation.initiator) is cause.by):
        return ()
    return negotiation.offered


def _wanted_group(context: Context) -> str | None:
    for negotiation in reversed(context.picture.negotiations):
        if negotiation.wanted_group is not None and negotiation.refusal:
            return str(negotiation.wanted_group)
    return None


def _list_of(end: End, last: Event, whose: str) -> tuple[Proposal, ...]:
    """The proposals on the lines straight above `last`, of the same layer and connection, and its own."""
    wanted: Proposal | None = getattr(last, whose)
    found: list[Proposal] = []
    line = last.where.line or 0
    for event in reversed(end.events):
        mine: Proposal | None = getattr(event, whose)
        same = event.what is What.PROPOSALS and event.where.file == last.where.file and event.conn == last.conn
        if same and event.where.line == line and mine and wanted and mine.protocol == wanted.protocol:
            found.append(mine)
            line -= 1
    return tuple(reversed(found))


def _named(end: End, whose: str, protocol: str) -> tuple[Proposal, ...]:
    """The last proposals an end's log names as its own or as the peer's, for this layer; the refusal's own line first."""
    wanted = (What.IKE_PROPOSAL_REFUSED,) if protocol == "IKE" else tuple(_CHILD)
    for kinds in (wanted, (What.PROPOSALS, What.PROPOSAL_REFUSED, What.IKE_PROPOSAL_REFUSED, *_CHILD)):
        for event in reversed(end.events):
            if event.what in kinds:
                found: Proposal | None = getattr(event, whose)
                if found is not None and (found.protocol == protocol or event.what in wanted):
                    return _list_of(end, event, whose) or (found,)
    return ()


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
    return (
        Remedy(asker.site, f"offer {at_asker}" if at_asker else "nothing"),
        Remedy(refuser.site, f"allow {at_refuser}" if at_refuser else "nothing"),
    )


def _additions(offers: Offers, source: str) -> str:
    """What to add so that the other end's list is met."""
    parts = []
    for kind in offers.differs:
        values = offers.all_accepted(kind) if source == "accepted" else offers.all_offered(kind)
        best = strongest(kind, values)
        others = [v for v in values if v != best]
        word = "group " if kind == "group" else "PRF " if kind == "prf" else ""
        if best:
            parts.append(word + listed([best, *others]))
    return " and ".join(parts)
