"""What one end's log tells in the end: which refusals still stand after everything that followed them.

An old error followed by success is history; a success followed by refusals is broken now. Only the order of the
lines of one log counts here, so that two ends with different clocks can't confuse it.
"""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, field

from stomion.model.event import Event, What

IKE_FAILURES = frozenset({
    What.SEND_FAILED, What.NO_PEER, What.VERSION_REFUSED, What.MODE_REFUSED, What.IKE_PROPOSAL_REFUSED, What.KEY_REFUSED,
    What.IDENTITY_REFUSED, What.CERTIFICATE_REFUSED, What.METHOD_REFUSED, What.AUTH_REFUSED, What.UNDECRYPTABLE,
})  # fmt: skip
CHILD_FAILURES = frozenset({
    What.CHILD_PROPOSAL_REFUSED, What.PFS_REFUSED, What.ENCAPSULATION_REFUSED, What.SELECTORS_REFUSED, What.NARROWED, What.INSTALL_FAILED,
})  # fmt: skip
SILENCE = frozenset({What.NO_ANSWER, What.GAVE_UP, What.RESENT, What.PORT_CLOSED})


@dataclass(frozen=True, slots=True)
class Refusal:
    """A failure and the state it met: whether the IKE SA, and a child, were up in this log before it."""

    event: Event
    what: What
    ike_was_up: bool
    child_was_up: bool


@dataclass(slots=True)
class Story:
    """The state of one end after its last line. `history` are refusals that a later success made void.

    `outages` pairs the loss of the peer with what came up after it; `deleted` an SA's coming up with the peer's delete.
    """

    standing: list[Refusal] = field(default_factory=list)
    history: list[Refusal] = field(default_factory=list)
    silence: list[Event] = field(default_factory=list)
    lost: list[Event] = field(default_factory=list)
    outages: list[tuple[Event, Event]] = field(default_factory=list)
    deleted: list[tuple[Event, Event]] = field(default_factory=list)
    restarts: list[Event] = field(default_factory=list)
    """Starts of the whole service after an SA had come up: it is gone without a delete."""
    ike_up: Event | None = None
    child_up: Event | None = None
    since: Event | None = None
    """The child with which the present time without a break began."""
    broken: bool = False
    """Was the peer of the standing Child SA given up, and none come up since?"""
    closed_other: Event | None = None
    """The last line that closed another child than the one that stands: a renewed one."""
    ike_ever: Event | None = None
    child_ever: Event | None = None
    children: list[Event] = field(default_factory=list)
    ike_agreed: Event | None = None
    agreed_now: bool = False
    child_agreed: Event | None = None
    """The last child's proposal that was agreed on, which proves that an IKE SA stood."""
    settled: bool = False
    """Has a child come up, and nothing been begun anew since?"""
    asked: list[Event] = field(default_factory=list)
    initiated: list[Event] = field(default_factory=list)
    answered: Event | None = None
    rekeyed: int = 0
    version: int | None = None
    mode: str | None = None


def read_story(events: Iterable[Event]) -> Story:
    """Go through one end's events about one peer, in the order of its log."""
    story = Story()
    for event in events:
        _note_facts(story, event)
        step = _STEPS.get(event.what)
        if step:
            step(story, event)
        elif event.what in IKE_FAILURES or event.what in CHILD_FAILURES or event.what is What.PROPOSAL_REFUSED:
            _refused(story, event)
        elif event.what in SILENCE:
            story.silence.append(event)
            if event.what is What.NO_ANSWER and story.settled:
                # Nobody had asked for anything new: the peer of a standing tunnel does not answer any more.
                story.lost.append(event)
            standing = story.child_up is not None and event.sa is not None and event.sa == story.child_up.sa
            story.broken |= standing and event.what is What.GAVE_UP
    return story


def _note_facts(story: Story, event: Event) -> None:
    story.version = event.version or story.version
    story.mode = event.mode or story.mode
    if event.what is What.RECEIVED or (event.far and event.what is not What.NO_ANSWER):
        story.answered = event
        if event.request is False or event.far:
            story.silence.clear()


def _void(story: Story, which: frozenset[What] | None) -> None:
    """Move standing refusals to history: all of them, or those of one layer."""
    kept = []
    for refusal in story.standing:
        if which is None or refusal.what in which:
            story.history.append(refusal)
        else:
            kept.append(refusal)
    story.standing = kept


def _ike_up(story: Story, event: Event) -> None:
    story.ike_up = story.ike_ever = event
    _answers_again(story, event)
    _void(story, IKE_FAILURES)


def _child_up(story: Story, event: Event) -> None:
    if not _known_child(story, event):
        if story.child_up is None or story.lost or story.since is None or story.broken:
            story.since, story.broken = event, False
        story.child_up = story.child_ever = event
        story.settled = True
        story.children.append(event)
    _answers_again(story, event)
    _void(story, None)


def _answers_again(story: Story, event: Event) -> None:
    if story.lost and (story.children or event.what is not What.IKE_UP):
        story.outages.append((story.lost[-1], event))
    story.silence.clear()
    story.lost.clear()


def _deleted(story: Story, event: Event) -> None:
    of_ike = event.layer == "ike"
    up = story.child_up or story.ike_up
    if up is not None and _is_of(event, up, of_ike):
        story.deleted.append((up, event))
    if of_ike and story.ike_up is not None and _is_of(event, story.ike_up, of_ike):
        story.ike_up = None
    _child_down(story, event)


def _is_of(event: Event, up: Event, of_ike: bool) -> bool:
    """Is a delete of what came up? One of the IKE SA that names no number takes its children with it."""
    return event.sa == up.sa or (of_ike and event.sa is None)


def _known_child(story: Story, event: Event) -> bool:
    """The same child told again: its two directions on two lines, or a change of state after the line with its SPIs."""
    last = story.children[-1] if story.children else None
    if last is None or story.child_up is None:
        return False
    if event.spis:
        return set(event.spis) == set(last.spis)
    return bool(last.spis) and not event.my_ts and event.conn == last.conn


def _begun(story: Story, event: Event) -> None:
    (story.asked if event.what is What.ASKED else story.initiated).append(event)
    if event.layer != "child":
        story.settled = False
        story.ike_up = None
        story.agreed_now = False


def _ike_down(story: Story, event: Event) -> None:
    story.ike_up = None
    if event.what is What.IKE_DOWN and story.child_up and event.sa == story.child_up.sa:
        story.child_up = None


_SAME_CLOSING_S = 2.0
"""Seconds within which a line about a closed child that names none speaks of the one named right before."""


def _child_down(story: Story, event: Event) -> None:
    up = story.child_up
    if up and event.spis and up.spis and not set(event.spis) & set(up.spis):
        story.closed_other = event
        return
    named = story.closed_other
    if (
        named is not None
        and not event.spis
        and event.layer != "ike"
        and (event.at or 0) - (named.at or 0) <= _SAME_CLOSING_S
    ):
        story.closed_other = None
        return
    if up and (not event.spis or not up.spis or set(event.spis) & set(up.spis)):
        story.child_up = None


def _agreed(story: Story, event: Event) -> None:
    if event.layer != "child" and event.mine and event.mine.group:
        story.ike_agreed = event
        story.agreed_now = True
    elif story.agreed_now and event.mine is not None:
        # A child's proposal is agreed on once the IKE SA stands, in whatever words that was said: what was refused before is history.
        story.child_agreed = event
        _void(story, IKE_FAILURES | _OF_CHILD_PROPOSALS)


_OF_CHILD_PROPOSALS = frozenset({What.CHILD_PROPOSAL_REFUSED, What.PFS_REFUSED})


def _lost(story: Story, event: Event) -> None:
    story.lost.append(event)


def _restarted(story: Story, event: Event) -> None:
    if story.ike_ever is not None or story.child_ever is not None:
        story.restarts.append(event)
    story.ike_up = story.child_up = None


def _rekeyed(story: Story, _event: Event) -> None:
    story.rekeyed += 1


_STEPS = {
    What.IKE_UP: _ike_up,
    What.CHILD_UP: _child_up,
    What.INITIATING: _begun,
    What.ASKED: _begun,
    What.IKE_DOWN: _ike_down,
    What.DELETED_BY_PEER: _deleted,
    What.CHILD_DOWN: _child_down,
    What.AGREED: _agreed,
    What.PEER_LOST: _lost,
    What.REKEY: _rekeyed,
    What.STARTED: _restarted,
}


_OF_THE_IKE_SA = re.compile(r"\b(?:ike|isakmp|phase ?1)(?: sa)? (?:proposals?|transforms?)\b", re.IGNORECASE)


def _refused(story: Story, event: Event) -> None:
    what = event.what
    if what is What.PROPOSAL_REFUSED:
        what = What.CHILD_PROPOSAL_REFUSED if story.ike_up else What.IKE_PROPOSAL_REFUSED
    if (
        what is What.IKE_PROPOSAL_REFUSED
        and story.ike_up
        and event.exchange is None
        and not _OF_THE_IKE_SA.search(event.text)
    ):
        # "ike" may be no more than the program's name; with an IKE SA up it is a child that was refused.
        what = What.CHILD_PROPOSAL_REFUSED
    if what is What.NO_PEER and story.agreed_now:
        # The proposal was agreed, so the address was known: it is the identity that nothing is configured for.
        what = What.IDENTITY_REFUSED
    if what is What.UNDECRYPTABLE and story.ike_up and not event.far:
        return
    story.standing.append(Refusal(event, what, story.ike_up is not None, story.child_ever is not None))
