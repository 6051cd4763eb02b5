"""What a log's own words can be learned from: messages that were captured, and the other end's log."""

from __future__ import annotations

from collections.abc import Iterator

from stomion.exchange.negotiation import Step
from stomion.ingest.textfile import TextFile
from stomion.jobs.examine import Examined
from stomion.logs.classify import ERRORS_OF_NOTIFIES, REFUSALS
from stomion.logs.learning import Known, Learned, learned_from
from stomion.logs.reader import times_of
from stomion.logs.templates import Templates
from stomion.model.event import What
from stomion.tunnel.picture import End, Picture

WIRE_SLACK_S, LOG_SLACK_S = 1.2, 1.5
"""How far a line may stand from a message, and from a line of the other end: logs round to seconds, and write later than they act."""
_OF_CHILD = frozenset({"IKE_AUTH", "CREATE_CHILD_SA", "QUICK_MODE"})
"""Exchanges in which a proposal is the Child SA's."""


def learn(examined: Examined, file: str, text: TextFile, found: Templates) -> list[Learned]:
    """Wordings of a log, of those `found` in its text, that stand beside the same event each time."""
    site = next((log.site for log in examined.evidence.logs if log.file == file), None)
    known: list[Known] = []
    for diagnosis in examined.tunnels:
        picture = diagnosis.picture
        for end in picture.ends:
            if end.site == site:
                known += _from_wire(picture, end)
                known += _from_other_end(picture, end, file)
    if not known:
        return []
    numbers = sorted({number for item in found.found if not item.understood for number in item.lines})
    times = times_of(((n, text.line(n)) for n in numbers), known[0].at)
    return learned_from(found.found, times, known)


def _from_wire(picture: Picture, end: End) -> Iterator[Known]:
    for negotiation in picture.negotiations:
        for step in negotiation.steps:
            at = next((moment for moment, place in step.seen if place.site == end.site), None)
            what = _said_by(step)
            if at is not None and what is not None:
                far = what in REFUSALS and step.src not in end.addresses
                yield Known(at, what, far, where=step.where, slack=WIRE_SLACK_S)


def _said_by(step: Step) -> What | None:
    """What a message that can be read says: a refusal, also one that is sent again, or nothing but itself once more."""
    said = (ERRORS_OF_NOTIFIES.get(name) for name in step.notifies)
    found = next((what for what in said if what in REFUSALS or what is What.KE_RETRY), None)
    if found is What.PROPOSAL_REFUSED:
        return What.CHILD_PROPOSAL_REFUSED if step.exchange in _OF_CHILD else What.IKE_PROPOSAL_REFUSED
    return found or (What.RESENT if step.again else None)


def _from_other_end(picture: Picture, end: End, file: str) -> Iterator[Known]:
    """What the other end's log tells, by this end's clock. Without a measure of the clocks both must tell their zone."""
    other = picture.other(end)
    clock = picture.clock
    ahead = 0.0 if clock is None else clock.right_ahead if end is picture.right else -clock.right_ahead
    slack = LOG_SLACK_S + (clock.uncertainty if clock is not None else 0.0)
    for event in other.events:
        if event.at is None or event.bare or event.guessed or event.where.file == file or event.what not in REFUSALS:
            continue
        if clock is None and event.assumed:
            continue
        # What the other end decided itself is, here, what the peer decided.
        yield Known(event.at + ahead, event.what, not event.far, event.where, slack)
