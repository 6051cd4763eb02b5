"""What opened messages tell of the Child SA: what was asked for and what was given (only where the user gave keys)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.exchange.negotiation import Negotiation, Step
from stomion.model.proposal import Proposal
from stomion.space.axis import interval_of, prefixes_text
from stomion.wire.ike.bodies import Identity, TsList
from stomion.wire.ike.numbers import IKEV2, ExchangeV1

BOTH_SIDES = 2
"""Selector lists, or identities, that name both sides of a child."""
MAX_PREFIXES = 8
"""Prefixes that one range on the wire is written as; one that falls into more stays a range."""


@dataclass(frozen=True, slots=True)
class ChildAsked:
    """One request for a Child SA and, where it was opened too, its answer; ranges are prefixes."""

    initiator: str
    proposals: tuple[Proposal, ...]
    near: tuple[str, ...]
    remote: tuple[str, ...]
    given_near: tuple[str, ...]
    given_remote: tuple[str, ...]
    step: Step
    answer: Step | None


def child_asked(negotiations: Sequence[Negotiation]) -> ChildAsked | None:
    """The last opened request for a Child SA."""
    for negotiation in reversed(negotiations):
        for index in range(len(negotiation.steps) - 1, -1, -1):
            found = _asked(negotiation, index)
            if found is not None:
                return found
    return None


def _asked(n: Negotiation, index: int) -> ChildAsked | None:
    step = n.steps[index]
    header = step.message.header
    if step.opened is None or header is None or header.is_response:
        return None
    near, remote = _selectors(step, n.version)
    if not near or not remote:
        return None
    answer = next((s for s in n.steps[index + 1 :] if s.opened is not None and _answers(s, step)), None)
    given = _selectors(answer, n.version) if answer is not None else ((), ())
    sa = step.opened.sa
    return ChildAsked(step.src, sa.model() if sa else (), near, remote, given[0], given[1], step, answer)


def _answers(answer: Step, request: Step) -> bool:
    a, r = answer.message.header, request.message.header
    return a is not None and r is not None and a.message_id == r.message_id and answer.src == request.dst


def _selectors(step: Step, version: int) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(the initiator's side, the responder's) of a message: TSi and TSr, or the two identities of quick mode."""
    if version == IKEV2:
        lists = [p.body for p in step.view.payloads if isinstance(p.body, TsList)]
        return (_prefixes(lists[0]), _prefixes(lists[1])) if len(lists) == BOTH_SIDES else ((), ())
    header = step.message.header
    found = [p.body.text for p in step.view.payloads if isinstance(p.body, Identity)]
    if header is None or header.exchange != ExchangeV1.QUICK_MODE or len(found) != BOTH_SIDES:
        return (), ()
    return (found[0],), (found[1],)


def _prefixes(ts: TsList) -> tuple[str, ...]:
    """The ranges of a selector list as prefixes; what is no range (RFC 7296 3.13.1 wants low before high) is left out."""
    out: list[str] = []
    for item in ts.ranges:
        try:
            text = item.text.split(" ")[0]
            found = [p for interval in interval_of(text) for p in prefixes_text(interval)]
            out += found if len(found) <= MAX_PREFIXES else [text]
        except ValueError:
            continue
    return tuple(out)
