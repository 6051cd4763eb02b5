"""A line in the light of its peer's negotiation, for logs whose words are not known: how far it came tells what can be meant."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field
from typing import TypeGuard

from msgspec.structs import replace

from stomion.logs.classify import REFUSALS
from stomion.logs.guess import NAME, guessed, hint_of, turns_away
from stomion.logs.lexicon import plain
from stomion.logs.stages import (
    CLOSED,
    NOBODY,
    OF_KEY,
    PROVEN,
    STANDING,
    UNKNOWN,
    Line,
    by_number,
    is_of_kernel,
    made,
    told,
)
from stomion.logs.subjects import Subjects
from stomion.logs.understand import SETTING, alike
from stomion.logs.values import are_two_names, lacks_group
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import read_addresses
from stomion.vocabulary.algorithms import find_proposal

_STAGES = (What.INITIATING, What.ASKED, What.AGREED, *PROVEN)
_OVER = REFUSALS | {What.NO_ANSWER, What.GAVE_UP}
"""After one of these the next thing is a beginning."""
_IN_BRACKETS = re.compile(r"[\[{<#]\d{1,6}[\]}>]?")
_STATES = re.compile(r"(?<![\w.])(?:[A-Z][A-Z_]{2,}|\*) ?[=-]> ?[A-Z][A-Z_]{2,}(?!\w)")
"""From one state to another, in capitals: a state called NONE denies nothing."""
_NUMBER = re.compile(r"\d+")
_REFUSED_AT = {
    What.INITIATING: What.IKE_PROPOSAL_REFUSED,
    What.ASKED: What.IKE_PROPOSAL_REFUSED,
    What.AGREED: What.AUTH_REFUSED,
}
"""What is judged next, at each stage."""
_OF_CHILDREN = (What.CHILD_PROPOSAL_REFUSED, What.SELECTORS_REFUSED, What.INSTALL_FAILED)


AT_ONCE = 3.0
"""Seconds after its beginning within which an attempt is refused; what comes later is silence, or said of it."""


_OF_PROOF = (None, What.AUTH_REFUSED)
FEW = 2
"""Lines of an attempt that nothing is understood of, among which the last one may well be its refusal."""


@dataclass(frozen=True, slots=True)
class _LastWord:
    """What the last line of an attempt may refuse, the line without its numbers, and whether any of its words turns something away."""

    event: Event
    template: str
    turns_away: bool


@dataclass(slots=True)
class Progress:
    """How far the negotiation with one peer came."""

    stage: What | None = None
    ours: bool = False
    """Was it begun from here?"""

    begun: dict[str, What] = field(default_factory=dict)
    """Lines, without their numbers, that told of a beginning: what is said in the same words again is another one."""
    begun_at: float | None = None
    version: int | None = None
    """Of the present attempt."""
    last_at: float | None = None
    """The moment of the last line that is of this peer."""
    passed: int = 0
    """Lines of the present attempt that nothing was understood of."""
    unread: _LastWord | None = None
    """The last line of the present attempt that nothing was understood of, as what it may refuse."""
    grouped: bool = False
    """Had the proposal that was agreed on a Diffie-Hellman group?"""
    failed: list[_LastWord] = field(default_factory=list)
    """Such lines of attempts that came to nothing: another one followed."""

    def verdicts(self) -> list[Event]:
        """What the last lines of failed attempts may refuse, at the log's end."""
        last = self.unread
        found = list(self.failed)
        if last is not None and (bool(found) if self.stage not in PROVEN else last.event.what in _OF_CHILDREN):
            found.append(last)
        said = Counter(word.template for word in found)
        return [word.event for word in found if word.turns_away or said[word.template] > 1]

    def _is_of_attempt(self, word: _LastWord | None, at: float | None) -> TypeGuard[_LastWord]:
        """Is a last word said of the attempt before it, and not of the next one, which begins now?"""
        if word is None or word.turns_away:
            return word is not None
        said = word.event.at
        return at is not None and said is not None and self.begun_at is not None and at - said > said - self.begun_at

    def is_at_once(self, at: float | None) -> bool:
        """Is a moment hardly after the beginning of an attempt that came to nothing yet?"""
        soon = at is not None and self.begun_at is not None and at - self.begun_at <= AT_ONCE
        return soon and self.stage in _REFUSED_AT

    def note(self, what: What, at: float | None) -> None:
        """Something happened."""
        if what in (What.INITIATING, What.ASKED) and self.stage in _REFUSED_AT and self._is_of_attempt(self.unread, at):
            self.failed.append(self.unread)
        if what in (What.CHILD_UP, What.IKE_UP, What.REKEY):
            self.failed.clear()
        if what is not What.RESENT:
            self.unread = None
        if what in (What.INITIATING, What.ASKED):
            self.ours, self.begun_at, self.passed = what is What.INITIATING, at, 0
        if what is What.AGREED and self.stage in PROVEN:
            # It is the child's proposal.
            return
        if what in _STAGES:
            self.stage = what
        elif what in CLOSED:
            self.stage = What.IKE_DOWN
        elif what in _OVER and self.stage not in STANDING:
            self.stage = None


def by_context(
    event: Event | None,
    text: str,
    line: str,
    where: Provenance,
    at: float | None,
    subjects: Subjects,
    progress: dict[str, Progress],
) -> Event | None:
    """What a line tells: `event` is what the words of its text tell, `at` its moment. `progress` is brought up to date."""
    named = read_addresses(text)
    peer = subjects.of_line(line, named)
    if peer is None or SETTING.search(text):
        return event
    state = progress.setdefault(peer, Progress())
    spoken = Line(text, plain(_IN_BRACKETS.sub(" ", _without_states(text))), named, peer, where)
    found = _in_turn(event, spoken, at, state)
    state.last_at = at or state.last_at
    return found


def _without_states(text: str) -> str:
    """A line without the names of states where something else tells what happened."""
    rest = _STATES.sub(" ", text)
    return rest if re.search(r"\([^()]*[a-z]{3}", rest) else text


def _in_turn(event: Event | None, spoken: Line, at: float | None, state: Progress) -> Event | None:
    """What a line tells that is known to be of a peer whose negotiation came so far."""
    template = _NUMBER.sub("0", spoken.words)
    found = _meaning(event, spoken, template, at, state)
    if found is None and state.stage is not None:
        state.passed += 1
        state.unread = _last_word(spoken, template, at, state)
    if found is None:
        return None
    if event is None or found.what is not event.what:
        found = replace(found, inferred=not found.guessed)
    found = _placed(found, spoken, at, state)
    if found.what in (What.INITIATING, What.ASKED) and not found.guessed:
        state.begun.setdefault(template, found.what)
        state.version = found.version or state.version
    if found.what is What.AGREED and state.stage is not What.AGREED and state.stage not in PROVEN:
        state.grouped = found.mine is not None and bool(found.mine.group)
    if found.what is What.AGREED and state.stage is What.AGREED and state.grouped and _is_of_child(spoken.text):
        # What a child is to be protected with is agreed on once the peers have proved who they are.
        state.note(What.AUTH_OK, at)
    state.note(found.what, at)
    return found


def _meaning(event: Event | None, spoken: Line, template: str, at: float | None, state: Progress) -> Event | None:
    """What a line tells, by its own words if these are known, by those it began with before, or by the stage."""
    found = _child_turned_away(spoken, state) if event is None and state.stage in PROVEN else None
    if found is None and template in state.begun:
        begun = state.begun[template]
        found = made(begun, spoken) if event is None else event
        found = replace(found, what=begun) if found.what in (What.INITIATING, What.ASKED) else found
    return found or told(event, spoken, state.stage) or _turned_away(spoken, at, state)


def _placed(found: Event, spoken: Line, at: float | None, state: Progress) -> Event:
    """What a line tells, with the layer, the end and the peer that its place in the negotiation gives it."""
    if found.what in _OF_EITHER and state.stage is What.AGREED and state.grouped and _is_of_child(spoken.text):
        found = replace(found, what=What.CHILD_PROPOSAL_REFUSED, layer="child")
    if found.what in CLOSED and state.is_at_once(at):
        found = _not_begun(found, spoken, state)
    if found.bare and found.notifies:
        # Who began hears the refusal, whoever answers gives it.
        found = replace(found, far=state.ours, bare=False)
    if found.what in CLOSED and found.layer is None:
        # Nothing says that it is the child alone.
        found = replace(found, layer="ike")
    if found.peer is None and not found.sa and not found.conn:
        found = replace(found, peer=spoken.peer)
    return found


_OF_EITHER = (What.PROPOSAL_REFUSED, What.IKE_PROPOSAL_REFUSED)


def _is_of_child(text: str) -> bool:
    """Does a line name algorithms without a group? After an agreement on one, they are the child's, whatever came in between."""
    proposal = find_proposal(text, "IKE")
    return proposal is not None and bool(proposal.encryption) and not proposal.group


def _not_begun(event: Event, line: Line, state: Progress) -> Event:
    """What is ended before it stood was refused: for the notify that its number is, else it is guessed."""
    number = by_number(line, state.stage)
    if number is None and line.named.endpoints and NOBODY.search(line.words):
        number = What.NO_PEER
    what = number or (_REFUSED_AT[state.stage] if state.stage is not None else event.what)
    far = event.what is What.DELETED_BY_PEER or state.ours
    known = number is not None
    return replace(event, what=what, far=far, bare=False, layer=None, guessed=not known, inferred=known)


def _last_word(line: Line, template: str, at: float | None, state: Progress) -> _LastWord | None:
    """What a line may refuse that is the last of an attempt which came to nothing: the notify that its number is, what it names or speaks of;
    where attempt after attempt ends so, at once, it is what is judged next."""
    denied = turns_away(plain(line.text))
    hint = hint_of(alike(line.text))
    # Once a child stands, a number alone is any number.
    what, far = (by_number(line, state.stage) if denied or state.stage is not What.CHILD_UP else None), state.ours
    if what in _OF_PROOF and state.stage is What.AGREED and not state.ours and are_two_names(line.text):
        what = What.IDENTITY_REFUSED
    if what is None and hint is not None and hint.topic and denied:
        what, far = hint.what, hint.far
    if what is None and state.stage in (What.AUTH_OK, What.IKE_UP) and is_of_kernel(line.words):
        what, far = What.INSTALL_FAILED, False
    if what is not None:
        return _LastWord(replace(made(what, line), at=at, far=far, guessed=True), template, True)
    what = _REFUSED_AT.get(state.stage) if state.stage is not None else None
    if what is None or at is None or state.begun_at is None or at - state.begun_at > AT_ONCE or state.passed > FEW:
        return None
    return _LastWord(replace(made(what, line), at=at, far=far, guessed=True), template, False)


def _turned_away(line: Line, at: float | None, state: Progress) -> Event | None:
    """What a line may refuse that turns something away: what it speaks of, else the next thing of its negotiation. It is guessed."""
    if state.stage is None or not turns_away(plain(line.text)):
        return None
    what = _REFUSED_AT.get(state.stage)
    if what is None:
        return None
    if state.stage is What.INITIATING and at is not None and state.last_at is not None and at - state.last_at > AT_ONCE:
        # A refusal comes at once; so long after what was sent last, nothing came.
        return replace(made(What.NO_ANSWER, line), guessed=True)
    if line.named.endpoints and NOBODY.search(line.words):
        return replace(made(What.NO_PEER, line), guessed=True)
    if what is What.AUTH_REFUSED and OF_KEY.search(line.words) and not state.ours:
        return replace(made(What.KEY_REFUSED, line), guessed=True)
    if what is What.AUTH_REFUSED and state.version == 1 and not state.ours and not NAME.search(line.text):
        # With another key a message of IKEv1 makes no sense (RFC 2409 section 5), and so says nobody's name.
        return replace(made(What.UNDECRYPTABLE, line), guessed=True)
    hint = hint_of(alike(line.text))
    if hint is not None and hint.topic:
        return guessed(hint, made(what, line))
    if state.ours:
        what = by_number(line, state.stage) or what
    elif state.stage is What.ASKED and UNKNOWN.search(line.words):
        what = What.NO_PEER
    return replace(made(what, line), far=state.ours, guessed=True)


def _child_turned_away(line: Line, state: Progress) -> Event | None:
    """What is turned away once the peers have proved who they are: what the line has values of, or names by number."""
    if not turns_away(plain(line.text)) or line.named.ranges:
        return None
    if lacks_group(line.words):
        return replace(made(What.PFS_REFUSED, line), layer="child")
    proposal = find_proposal(line.text, "ESP")
    of_values = proposal is not None and bool(proposal.encryption)
    what = What.CHILD_PROPOSAL_REFUSED if of_values else by_number(line, state.stage)
    if what not in _OF_CHILDREN:
        return None
    return replace(made(what, line), layer="child", far=state.ours and not of_values, guessed=not of_values)
