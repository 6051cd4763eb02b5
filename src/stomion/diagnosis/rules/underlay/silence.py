"""Who asked and was never answered, and what the other end's evidence tells about it."""

from __future__ import annotations

import re
from dataclasses import dataclass

from stomion.diagnosis.spec import Context
from stomion.exchange.automaton import Reach
from stomion.exchange.negotiation import Delivery, Negotiation
from stomion.model.event import What
from stomion.model.provenance import Provenance
from stomion.space.ranges import PRIVATE, common, spans
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.up import up_of

LARGE = 1300
"""Bytes of an IKE message above which it may have been fragmented on the way."""


@dataclass(frozen=True, slots=True)
class Silence:
    """`asker` sent requests that went unanswered to the end. `arrived` is None where the other end shows nothing."""

    asker: End
    arrived: bool | None
    answer_left: bool | None
    after_init: bool
    negotiation: Negotiation | None
    places: tuple[Provenance, ...]
    port_closed: bool = False
    moved: bool = False
    """The unanswered messages went to port 4500, the answered ones to port 500."""
    blocked: bool = False
    """The requests are in the other end's capture, and its service, whose log is there, knows nothing of them."""
    largest: int = 0
    """Bytes of the largest unanswered message, by its packet or by the log; 0 where unknown."""

    @property
    def loss_seen(self) -> bool:
        """True where packets of both ends show a message that left and did not arrive."""
        return self.negotiation is not None and any(s.fate is Delivery.LOST for s in self.negotiation.steps)

    @property
    def large_lost(self) -> bool:
        """True where small messages passed and a large one did not."""
        if not self.after_init:
            return False
        if self.negotiation is None:
            return self.arrived is False and self.largest > LARGE
        return any(s.size > LARGE and (s.fate is Delivery.LOST or s.cut) for s in self.negotiation.steps)


def unanswered(context: Context) -> Silence | None:
    """The silence that stands at the end of the evidence, or None: nothing asked, or somebody answered or refused."""
    picture = context.picture
    if (context.cause is not None and not context.cause.declared) or up_of(picture).logged is not None:
        return None
    asker = _asker(picture)
    if asker is None or wrong_address(context):
        return None
    last = _last_by(picture, asker)
    if last and last.reach not in (Reach.ASKED, Reach.INIT_ANSWERED, Reach.AUTH_ASKED):
        return None
    other = picture.other(asker)
    places = [e.where for e in asker.story.silence[-2:]]
    if last:
        places.append(last.steps[0].where)
    later = any(e.exchange in ("IKE_AUTH", "QUICK_MODE") for e in asker.story.silence)
    # Ports are changed once the other end's first answer told of a translation (RFC 7296 2.23, RFC 3947 4).
    floated = any(e.what is What.NAT_FLOAT for e in asker.events)
    after = bool(asker.story.ike_agreed) or later or floated or bool(last and last.reach >= Reach.INIT_ANSWERED)
    closed = any(u.port_closed for u in picture.unreachables) or any(
        e.what is What.PORT_CLOSED for e in asker.story.silence
    )
    arrived = _arrived(last, other)
    if after and last is None and (arrived or (floated and other.story.silence)) and not _went_on(other):
        # Its log knows of the first exchange and of nothing after it.
        arrived = False
    return Silence(
        asker,
        arrived,
        _answer_left(last),
        after,
        last,
        tuple(places),
        closed,
        after and _moved(last, asker),
        _blocked(last, other, after and _moved(last, asker)),
        _largest(last, asker),
    )


def _blocked(last: Negotiation | None, other: End, moved: bool) -> bool:
    """Requests on the other end's wire, nothing of them in its log, and no answer."""
    if (
        last is None
        or not other.has_log
        or any(s.src == last.responder for s in last.steps if s.dport == 4500 or not moved)
    ):
        return False
    seen = any(where.site == other.site for s in last.steps[-3:] for _, where in s.seen)
    heard = _went_on(other) if moved else bool(other.story.asked or other.story.answered)
    return seen and not heard


def wrong_address(context: Context) -> tuple[End, str] | None:
    """(end, the peer address its sheet names) where that is none of the other end's known addresses, and nothing works."""
    picture = context.picture
    if context.cause is not None and not context.cause.declared:
        return None
    if up_of(picture).ever:
        return None
    for end in picture.ends:
        other = picture.other(end)
        declared = end.sheet.peer if end.sheet else ""
        if _public(declared) and any(map(_public, other.addresses)) and declared not in other.addresses:
            return end, declared
    return None


def _public(text: str) -> bool:
    """An address that could be reached across the underlay: behind a translation nothing can be said (RFC 1918, RFC 4193)."""
    found = spans([text])
    return bool(found) and not common([text], PRIVATE)


def _went_on(end: End) -> bool:
    """Did this end's log see anything after the first exchange?"""
    later = [e for e in end.events if e.exchange in ("IKE_AUTH", "QUICK_MODE") or e.what in _LATER]
    return bool(later)


_LATER = frozenset({What.AUTH_OK, What.IKE_UP, What.UNDECRYPTABLE, What.NAT_FLOAT})


def _moved(last: Negotiation | None, asker: End) -> bool:
    if last is not None:
        asked = [s for s in last.steps if s.src == last.initiator]
        return asked[-1].dport == 4500 and asked[0].dport == 500
    return any(e.peer_port == 4500 for e in asker.story.silence) or any(
        e.what is What.NAT_FLOAT or (e.what is What.SENT and e.peer_port == 4500) for e in asker.events
    )


_BYTES = re.compile(r"\((\d{2,5}) bytes\)")


def _largest(last: Negotiation | None, asker: End) -> int:
    if last is not None:
        asked = [s for s in last.steps if s.src == last.initiator]
        return max(s.message.header.length if s.message.header else s.size for s in asked[-2:])
    sent = [m for e in asker.events if e.what is What.SENT and (m := _BYTES.search(e.text))]
    return int(sent[-1][1]) if sent else 0


def _asker(picture: Picture) -> End | None:
    """The end that asked in vain: by its log, else by the packets."""
    for end in picture.ends:
        story = end.story
        if story.silence and story.initiated:
            return end
    # Who sends again, or moves to another port, is the one that asks.
    for end in sorted(picture.ends, key=lambda end: not any(e.what in _ASKING for e in end.events)):
        if end.story.silence and not picture.other(end).story.initiated:
            return end
    last = picture.last
    if last is None or picture.esp_last:
        return None
    # One request tells little, and is all where nothing else was given.
    alone = last.reach is Reach.ASKED and not any(e.has_log or e.has_counters or e.sheet for e in picture.ends)
    if last.retransmissions or len(picture.negotiations) > 1 or alone:
        return picture.end_at(last.initiator)
    return None


_ASKING = frozenset({What.RESENT, What.NAT_FLOAT})


def _last_by(picture: Picture, asker: End) -> Negotiation | None:
    found = [n for n in picture.negotiations if n.initiator in asker.addresses]
    return found[-1] if found else None


def _arrived(last: Negotiation | None, other: End) -> bool | None:
    """Did the requests reach the other end? Its capture decides, then its log."""
    if last is not None:
        asked = [s for s in last.steps if s.src == last.initiator]
        fates = {s.fate for s in asked[-3:]}
        if Delivery.ARRIVED in fates:
            return True
        if fates == {Delivery.LOST}:
            return False
    if other.story.asked or other.story.answered:
        return True
    # Asked at an address that nothing of the other end confirms, its log need not know of it.
    return False if other.has_log and other.addresses - other.assumed else None


def _answer_left(last: Negotiation | None) -> bool | None:
    """Did an answer to the last message leave the other end and get lost?"""
    if last is None:
        return None
    answers = [s for s in last.steps if s.src == last.responder]
    return any(s.fate is Delivery.LOST for s in answers[-2:]) if answers else None
