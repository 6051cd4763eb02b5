"""A line in the light of its peer's negotiation, for logs whose words are not known: how far it came tells what can be meant."""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from msgspec.structs import replace

from stomion.logs.classify import REFUSALS
from stomion.logs.contrast import are_two_pairs
from stomion.logs.guess import denies, guessed, hint_of, turns_away
from stomion.logs.lexicon import plain
from stomion.logs.naming import identities_of, naming_of
from stomion.logs.subjects import Subjects
from stomion.logs.understand import SETTING, alike, spis_of, understand
from stomion.logs.values import AWAITED, STANDS, VERSION, are_names_apart, begins, begun, by_values
from stomion.logs.words import pattern
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import Named, read_addresses
from stomion.vocabulary.algorithms import find_proposal

_PROVEN = (What.AUTH_OK, What.IKE_UP, What.CHILD_UP)
_STANDING = (What.IKE_UP, What.CHILD_UP)
_STAGES = (What.INITIATING, What.ASKED, What.AGREED, *_PROVEN)
_CLOSED = (What.DELETED_BY_PEER, What.IKE_DOWN)
_OVER = REFUSALS | {What.NO_ANSWER, What.GAVE_UP}
"""After one of these the next thing is a beginning."""
_VAGUE = (
    What.INITIATING, What.ASKED, What.PROPOSAL_REFUSED, What.IKE_PROPOSAL_REFUSED, What.AUTH_REFUSED, What.NO_ANSWER, What.NO_PEER,
    What.IDENTITY_REFUSED,
)  # fmt: skip
"""Events that a refusal of the version, the mode or a name is easily taken for."""
_ENDED = pattern("stands no more")
_THERE = pattern("the peer")
_NAMED_PEER = pattern("peer named")
"""Who the peer is: no word of what it did."""
_BY_HAND = pattern("by hand")
_SILENCE = pattern("no answer")
_UNREADABLE = pattern("unreadable")
_AGAIN = pattern("once more")
_FINAL = pattern("for good")
_NOBODY = pattern("nobody")
_MODE = re.compile(r" (main|aggressive)(?= )")
_TWO_VERSIONS = pattern("two versions")
_UNSPOKEN = pattern("unspoken")
_NO_GROUP = pattern("no group")
_IN_BRACKETS = re.compile(r"[\[{<#]\d{1,6}[\]}>]?")
_OF_GROUP = pattern("of a group")


@dataclass(slots=True)
class Progress:
    """How far the negotiation with one peer came."""

    stage: What | None = None
    ours: bool = False
    """Was it begun from here?"""

    unread: Event | None = None
    """The last line of the present attempt that nothing was understood of, as what it may refuse."""
    failed: list[Event] = field(default_factory=list)
    """Such lines of attempts that came to nothing: another one followed."""

    def verdicts(self) -> list[Event]:
        """What the last lines of failed attempts may refuse, at the log's end."""
        last = self.unread
        wanted = last is not None and (bool(self.failed) if self.stage not in _PROVEN else last.what in _OF_CHILDREN)
        return [*self.failed, last] if last is not None and wanted else self.failed

    def note(self, what: What) -> None:
        """Something happened."""
        if what in (What.INITIATING, What.ASKED) and self.unread is not None and self.stage in _REFUSED_AT:
            self.failed.append(self.unread)
        if what in (What.CHILD_UP, What.IKE_UP, What.REKEY):
            self.failed.clear()
        if what is not What.RESENT:
            self.unread = None
        if what in (What.INITIATING, What.ASKED):
            self.ours = what is What.INITIATING
        if what in _STAGES:
            self.stage = what
        elif what in _CLOSED:
            self.stage = What.IKE_DOWN
        elif what in _OVER and self.stage not in _STANDING:
            self.stage = None


def by_context(
    event: Event | None, text: str, line: str, where: Provenance, subjects: Subjects, progress: dict[str, Progress]
) -> Event | None:
    """What a line tells: `event` is what the words of its text tell. `progress` is brought up to date."""
    named = read_addresses(text)
    peer = subjects.of_line(line, named)
    if peer is None or SETTING.search(text):
        return event
    state = progress.setdefault(peer, Progress())
    # A number in brackets is the writer's own: `ike [1]` is no version.
    found = _told(event, text, plain(_IN_BRACKETS.sub(" ", text)), where, peer, named, state.stage)
    if found is None:
        found = _turned_away(text, where, peer, named, state)
    if found is None and state.stage is not None:
        state.unread = _last_word(text, where, peer, named, state)
    if found is not None and found.bare and found.notifies:
        # Who began hears the refusal, whoever answers gives it.
        found = replace(found, far=state.ours, bare=False)
    if found is not None and found.what in _CLOSED and found.layer is None:
        # Nothing says that it is the child alone.
        found = replace(found, layer="ike")
    if found is not None and found.peer is None and not found.sa and not found.conn:
        found = replace(found, peer=peer)
    if found is not None:
        state.note(found.what)
    return found


_REFUSED_AT = {
    What.INITIATING: What.IKE_PROPOSAL_REFUSED,
    What.ASKED: What.IKE_PROPOSAL_REFUSED,
    What.AGREED: What.AUTH_REFUSED,
}


_NOTIFY = re.compile(r"(?<![\d.:,/-])(5|14|24|38)(?![\d.:/-])")
_OF_NOTIFY = {
    "5": What.VERSION_REFUSED,
    "14": What.PROPOSAL_REFUSED,
    "24": What.AUTH_REFUSED,
    "38": What.SELECTORS_REFUSED,
}
"""RFC 7296 section 3.10.1."""
_OF_CHILDREN = (What.CHILD_PROPOSAL_REFUSED, What.SELECTORS_REFUSED)


def _last_word(text: str, where: Provenance, peer: str, named: Named, state: Progress) -> Event | None:
    """What a line may refuse that is the last of an attempt which came to nothing: the notify that its number is, or what it speaks of."""
    numbers = set(_NOTIFY.findall(text))
    what = _REFUSED_AT.get(state.stage, What.REFUSED) if state.stage is not None else What.REFUSED
    made = _made(what, text, plain(text), where, peer, named)
    hint = hint_of(alike(text))
    if len(numbers) == 1:
        what = _OF_NOTIFY[numbers.pop()]
        if what is What.PROPOSAL_REFUSED:
            what = What.CHILD_PROPOSAL_REFUSED if state.stage in _PROVEN else What.IKE_PROPOSAL_REFUSED
        return replace(made, what=what, far=state.ours, guessed=True)
    return guessed(hint, made) if hint is not None and hint.topic and turns_away(plain(text)) else None


def _turned_away(text: str, where: Provenance, peer: str, named: Named, state: Progress) -> Event | None:
    """What a line may refuse that turns something away: what it speaks of, else the next thing of its negotiation. It is guessed."""
    what = _REFUSED_AT.get(state.stage) if state.stage is not None else None
    words = plain(text)
    if what is None or not turns_away(words):
        return None
    made = _made(what, text, words, where, peer, named)
    hint = hint_of(alike(text))
    if hint is not None and hint.topic:
        return guessed(hint, made)
    return replace(made, far=state.ours, guessed=True)


def _told(
    event: Event | None, text: str, words: str, where: Provenance, peer: str, named: Named, stage: What | None
) -> Event | None:
    if (
        (event is None or event.what is What.CHILD_UP)
        and are_two_pairs(named.ranges)
        and (denies(words) or AWAITED.search(words))
    ):
        return understand(f"traffic selectors refused: {text}", where)
    if event is None or (event.what is What.CHILD_UP and not event.spis and not event.my_ts):
        what = by_values(text, words, named) or (_by_stage(text, words, named, stage) if event is None else None)
        if what is not None:
            event = _made(what, text, words, where, peer, named) if event is None else replace(event, what=what)
    if event is None and (event := understand(f"sad: {text}", where)) is not None:
        # A line that is known to be of a negotiation needs no word of the trade to be asked what it says.
        event = replace(event, text=text, peer=event.peer or peer)
    if event is None:
        return None
    if stage in _PROVEN:
        return _of_child(event, words, stage)
    apart = _apart(text, words) if event.what in _VAGUE else None
    return event if apart is None else replace(event, what=apart, far=False, bare=False)


def _of_child(event: Event, words: str, stage: What | None) -> Event:
    """Once the peers have proved who they are, what is refused is the child's, and what is opened is the IKE SA."""
    if event.what in (What.PROPOSAL_REFUSED, What.IKE_PROPOSAL_REFUSED, What.CHILD_PROPOSAL_REFUSED):
        if _NO_GROUP.search(words):
            return replace(event, what=What.PFS_REFUSED, layer="child")
        return replace(event, what=What.CHILD_PROPOSAL_REFUSED, layer="child")
    if event.what is What.INITIATING and stage is What.AUTH_OK and event.version is None:
        return replace(event, what=What.IKE_UP)
    return event


def _by_stage(text: str, words: str, named: Named, stage: What | None) -> What | None:
    """What a line without a known meaning tells, by how far its negotiation came."""
    if stage not in _PROVEN and are_names_apart(text, words):
        return What.IDENTITY_REFUSED
    if stage is What.AGREED and _UNREADABLE.search(words):
        return What.UNDECRYPTABLE
    denied = denies(words) or _ENDED.search(words) is not None or _SILENCE.search(words) is not None
    refused = _refused(text, words, named, stage) if denied or AWAITED.search(words) else None
    if refused is None and stage not in _PROVEN:
        refused = _apart(text, words)
    if refused is not None:
        return refused
    if not denied and stage in (What.AGREED, What.AUTH_OK):
        return What.IKE_UP if STANDS.search(words) else None
    if not denied:
        return begun(text, words) if stage in (None, What.IKE_DOWN) and begins(words) else None
    if stage is What.IKE_DOWN and (_ENDED.search(words) or _SILENCE.search(words)) and not _AGAIN.search(words):
        return What.IKE_DOWN
    if _SILENCE.search(words):
        if stage in _STANDING:
            return What.PEER_LOST
        return What.RESENT if _AGAIN.search(words) else What.GAVE_UP if _FINAL.search(words) else What.NO_ANSWER
    if stage is What.INITIATING and _AGAIN.search(words):
        return What.RESENT
    if stage in _STANDING and _ENDED.search(words):
        deeds = _NAMED_PEER.sub(" ", words)
        there = _THERE.search(deeds) is not None and not _BY_HAND.search(deeds)
        return What.DELETED_BY_PEER if there else What.IKE_DOWN
    return None


def _refused(text: str, words: str, named: Named, stage: What | None) -> What | None:
    """What two values of one kind tell that stand in a line which denies something."""
    if stage in _PROVEN:
        return What.SELECTORS_REFUSED if are_two_pairs(named.ranges) else _group_missing(words, named)
    if named.endpoints and _NOBODY.search(words):
        return What.NO_PEER
    if are_two_pairs(named.ranges):
        return What.SELECTORS_REFUSED
    apart = _apart(text, words)
    if apart is None and stage is What.INITIATING and _UNSPOKEN.search(words):
        return What.VERSION_REFUSED
    return apart


def _group_missing(words: str, named: Named) -> What | None:
    return What.PFS_REFUSED if not named.ranges and _OF_GROUP.search(words) else None


def _apart(text: str, words: str) -> What | None:
    """Two modes in one line: nobody names both where they are the same. Two versions or two names where another was awaited."""
    if len(set(_MODE.findall(words))) > 1:
        return What.MODE_REFUSED
    if not denies(words) and not AWAITED.search(words):
        return None
    if len(set(VERSION.findall(words))) > 1 or _TWO_VERSIONS.search(words):
        return What.VERSION_REFUSED
    return What.IDENTITY_REFUSED if are_names_apart(text, words) else None


def _made(what: What, text: str, words: str, where: Provenance, peer: str, named: Named) -> Event:
    naming = naming_of(text)
    version = VERSION.search(words)
    agreed = find_proposal(text, "IKE") if what is What.AGREED else None
    return Event(
        what, where, text, peer=peer, peer_port=dict(named.endpoints).get(peer), conn=naming.conn, sa=naming.sa,
        version=int(version[1]) if version is not None else None, spis=spis_of(text, what),
        my_ts=named.ranges[:2] if what is What.CHILD_UP else (), mine=agreed, theirs=agreed,
        identities=identities_of(text, naming.conn) if what is What.AUTH_OK else (),
        layer="ike" if what in _CLOSED else None,
    )  # fmt: skip
