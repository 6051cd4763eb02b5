"""Who asked and was never answered, and what the other end's evidence tells about it."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.diagnosis.spec import Context
from stomion.exchange.negotiation import Negotiation, Reach
from stomion.exchange.picture import End, Picture
from stomion.model.event import What
from stomion.model.provenance import Provenance


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


def unanswered(context: Context) -> Silence | None:
    """The silence that stands at the end of the evidence, or None: nothing asked, or somebody answered or refused."""
    picture = context.picture
    if context.cause is not None or any(e.story.child_up or e.story.ike_ever for e in picture.ends):
        return None
    asker = _asker(picture)
    if asker is None:
        return None
    last = _last_by(picture, asker)
    if last and last.reach not in (Reach.ASKED, Reach.INIT_ANSWERED, Reach.AUTH_ASKED):
        return None
    other = picture.other(asker)
    places = [e.where for e in asker.story.silence[-2:]]
    if last:
        places.append(last.steps[0].where)
    after = bool(asker.story.ike_agreed) or bool(last and last.reach >= Reach.INIT_ANSWERED)
    closed = bool(picture.unreachables) or any(e.what is What.PORT_CLOSED for e in asker.story.silence)
    return Silence(asker, _arrived(last, other), _answer_left(last, other), after, last, tuple(places), closed)


def _asker(picture: Picture) -> End | None:
    """The end that asked in vain: by its log, else by the packets."""
    for end in picture.ends:
        story = end.story
        if story.silence and story.initiated:
            return end
    for end in picture.ends:
        if end.story.silence and not picture.other(end).story.initiated:
            return end
    last = picture.last
    if last is not None and not picture.esp_last and (last.retransmissions or len(picture.negotiations) > 1):
        return picture.end_at(last.initiator)
    return None


def _last_by(picture: Picture, asker: End) -> Negotiation | None:
    found = [n for n in picture.negotiations if n.initiator in asker.addresses]
    return found[-1] if found else None


def _arrived(last: Negotiation | None, other: End) -> bool | None:
    """Did the requests reach the other end? Its capture decides, then its log."""
    if last is not None:
        asked = [s for s in last.steps if s.src == last.initiator]
        fates = {s.fate for s in asked[-3:]}
        if "arrived" in fates:
            return True
        if fates == {"lost"}:
            return False
    if other.story.asked or other.story.answered:
        return True
    return False if other.has_log else None


def _answer_left(last: Negotiation | None, other: End) -> bool | None:
    """Did an answer to the last message leave the other end and get lost?"""
    if last is None:
        return None
    answers = [s for s in last.steps if s.src == last.responder]
    return any(s.fate == "lost" for s in answers[-2:]) if answers else None
