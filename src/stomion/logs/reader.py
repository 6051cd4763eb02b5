"""A whole log to events: keeps the order of lines, fills in year and day, and ties lines to their peer by name or number."""

from __future__ import annotations

import dataclasses
from collections.abc import Iterable, Iterator, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field

from msgspec.structs import replace

from stomion.logs import lexicon as lex
from stomion.logs.classify import REFUSALS
from stomion.logs.clock import Clock, day_of
from stomion.logs.context import Progress, by_context
from stomion.logs.facing import facing_proposals
from stomion.logs.framing import framed, unframe
from stomion.logs.grid import asked_and_held
from stomion.logs.guess import Guesses, guessed, hint_of, is_grave, may_refuse
from stomion.logs.naming import naming_of
from stomion.logs.phrasebook import Phrase, as_taught, taught
from stomion.logs.plans import Plans
from stomion.logs.subjects import Subjects
from stomion.logs.threads import tag_of
from stomion.logs.understand import MOST_SAID, alike, understand
from stomion.logs.verdict import LAST, is_refusal, verdict_of
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import read_addresses


@dataclass(slots=True)
class LogState:
    """What one log has told so far about its own ways of naming things."""

    clock: Clock
    peer_of_sa: dict[str, str] = field(default_factory=dict)
    peer_of_conn: dict[str, str] = field(default_factory=dict)
    conn_of_sa: dict[str, str] = field(default_factory=dict)
    peer_of_identity: dict[str, str] = field(default_factory=dict)
    last_peer: str | None = None
    phrases: Sequence[Phrase] = ()
    own: AbstractSet[str] = frozenset()
    """Addresses that are known to be the writer's."""
    subjects: Subjects | None = None
    """What ties lines to a peer in a log of which too little was understood by its words."""
    progress: dict[str, Progress] = field(default_factory=dict)
    """How far each peer's negotiation came, in such a log."""
    threaded: bool = False
    peer_of_thread: dict[str, str] = field(default_factory=dict)
    plans: Plans = field(init=False)

    def __post_init__(self) -> None:
        self.plans = Plans(self._said)

    def _said(self, line: str, rest: str, where: Provenance) -> Event | None:
        """What a line says by what was taught of it, and by its words."""
        known = taught(line, self.phrases) if self.phrases else None
        event = understand(rest, where)
        return event if known is None else as_taught(*known, line, where, event)


def read_log(
    lines: Iterable[tuple[int, str]],
    file: str,
    site: str | None,
    *,
    year: int,
    phrases: Sequence[Phrase] = (),
    own: AbstractSet[str] = frozenset(),
    threaded: bool = False,
    subjects: Subjects | None = None,
) -> Iterator[Event]:
    """Events of a log in its own order. `lines` are (number, cleaned text); `year` stands in where none is written.

    What `phrases` were taught comes before the general vocabulary. `own` are the writer's addresses, as far as other evidence tells them.
    In a `threaded` log (logs.threads) what names no peer is about the one that its thread named last. With `subjects` lines are tied to their
    peers by these, and are understood by their values where their words are not known.
    """
    state = LogState(Clock(year), phrases=phrases, own=own, threaded=threaded, subjects=subjects)
    found: list[Event] = []
    guesses = Guesses()
    for number, line in lines:
        low = line.lower()
        if phrases or subjects is not None or lex.RELEVANT.search(low):
            where = Provenance(file, site, line=number)
            event = understand_line(line, where, state)
            if event is not None:
                guesses.event(event, len(found))
            if (
                not state.plans.quiet
                and may_refuse(low, event)
                and (stub := _stub(line, where, event, state)) is not None
            ):
                guesses.line(len(found) + (event is not None), *stub)
            if event is not None:
                found.append(event)
    found = _without_logins(found)
    verdicts = [e for progress in state.progress.values() for e in progress.verdicts()]
    if verdicts:
        # A log may run backwards: the newest line first.
        step = -1 if len(found) > 1 and (found[0].where.line or 0) > (found[-1].where.line or 0) else 1
        yield from sorted((*found, *verdicts), key=lambda e: step * (e.where.line or 0))
        return
    begun = 0
    for place, guess in guesses.made():
        yield from found[begun:place]
        yield guess
        begun = place
    yield from found[begun:]


_OF_LOGINS = frozenset(("auth", "no", "refusal", "turned away"))


def _without_logins(events: list[Event]) -> list[Event]:
    """Without refusals that name nothing but an address, which no other line tells of a negotiation with: somebody was refused at a console.
    Where a log tells of no negotiation at all, several addresses are so."""
    others = {e.peer for e in events if e.what is not What.AUTH_REFUSED}
    lone = [e for e in events if e.what is What.AUTH_REFUSED and e.peer is not None and e.peer not in others]
    if not lone or not (any(others) or len({e.peer for e in lone}) > 1):
        return events
    logins = {id(e) for e in lone if lex.ideas_of(lex.plain(e.text)) <= _OF_LOGINS}
    return [e for e in events if id(e) not in logins] if logins else events


def _stub(line: str, where: Provenance, event: Event | None, state: LogState) -> tuple[Event, bool, bool] | None:
    """(what a line of which too little was understood may refuse, is it grave, has it a topic?)"""
    lines = line.split("\n")
    # Of a record its beginning, which has the time, and its last words.
    text = line if len(lines) == 1 else "; ".join(lines if len(lines) <= LAST else (lines[0], *lines[-LAST:]))
    frame = framed(text)
    rest, at, assumed = state.clock.take(frame.text if frame is not None and not frame.flat else text)
    if frame is not None:
        rest, at = (frame.text if frame.flat else rest), frame.at if frame.at is not None else at
    hint = hint_of(alike(rest[:MOST_SAID]))
    grave = is_grave(line.lower())
    if hint is None or (event is not None and not hint.refuses) or not (hint.denies or grave):
        return None
    if event is None:
        naming = naming_of(rest)
        named = [a for a, _ in read_addresses(rest).endpoints if a not in state.own]
        conn = (frame.owner if frame is not None else "") or naming.conn
        event = Event(
            hint.what, where, text, at, peer=next(iter(named), None), conn=conn, sa=naming.sa, assumed=assumed
        )
        event = replace(event, peer=_peer_of(event, conn, state))
    return guessed(hint, event), hint.refuses or grave, hint.topic


def understand_line(line: str, where: Provenance, state: LogState) -> Event | None:
    """One line, or a record of several, in the light of those before it."""
    state.plans.quiet = False
    if "\n" in line:
        return _understand_record(line, where, state)
    frame = framed(line)
    if frame is None:
        rest, at, assumed = state.clock.take(line)
    elif frame.at is not None:
        rest, at, assumed = frame.text, frame.at, ()
    else:
        rest, at, assumed = state.clock.take(line if frame.flat else frame.text)
    if frame is not None and frame.flat:
        rest = frame.text
    owner = frame.owner if frame is not None else ""
    if owner:
        _note_owner(owner, rest, state)
    if state.subjects is None:
        event = state.plans.event_of(line, rest, where)
    else:
        event = _in_its_light(line, rest, where, at, state.subjects, state)
    thread = _note_thread(rest, state) if state.threaded else None
    if event is None:
        return None
    if event.peer in state.own:
        event = _turned(event, rest, state.own)
    if owner:
        event = replace(event, conn=owner)
    if thread is not None and event.peer is None and not event.sa and not event.conn:
        event = replace(event, peer=thread)
    text = frame.text if frame is not None and frame.at is not None else line
    return _tied(replace(event, at=at, assumed=assumed, text=text), state)


def _in_its_light(
    line: str, rest: str, where: Provenance, at: float | None, subjects: Subjects, state: LogState
) -> Event | None:
    """What a line says in the light of its peer's negotiation; what was taught comes first."""
    known = taught(line, state.phrases) if state.phrases else None
    event = by_context(understand(rest, where), rest, line, where, at, subjects, state.progress)
    return event if known is None else as_taught(*known, line, where, event)


def _note_thread(text: str, state: LogState) -> str | None:
    """The peer that the thread of this line is at; a line that names one address tells it for those that follow."""
    tag = tag_of(text)
    if not tag:
        return None
    found = {address for address, _ in read_addresses(text).endpoints} - set(state.own)
    if len(found) == 1:
        state.peer_of_thread[tag] = found.pop()
    return state.peer_of_thread.get(tag)


def _note_owner(owner: str, text: str, state: LogState) -> None:
    """A record that names whose it is and one address ties the two, whatever else it says."""
    found = {address for address, _ in read_addresses(text).endpoints} - set(state.own)
    if len(found) == 1 and owner not in state.peer_of_conn:
        state.peer_of_conn[owner] = found.pop()


def _understand_record(record: str, where: Provenance, state: LogState) -> Event | None:
    """A record of several lines: the last ones judge it, all of them together give its values."""
    lines = record.split("\n")
    text = "; ".join(lines)
    rest, at, assumed = state.clock.take(text)
    words = lex.plain(rest)
    if lex.NOISE.search(words) and not lex.STRONG.search(words):
        # A verdict on other business: somebody who signs on is refused too.
        return None
    known = next((found for line in reversed(lines) if (found := taught(line, state.phrases))), None)
    if known is not None:
        told = as_taught(*known, text, where, understand(rest, where) or _without_more(rest, where))
        return _placed(replace(told, bare=False), rest, text, at, assumed, state)
    verdict = verdict_of([rest.split("; ")[0] if n == 0 else line for n, line in enumerate(lines)])
    if verdict is not None and verdict.what is What.NO_ANSWER and any(_unsent(line) for line in lines[1:]):
        # Nobody can answer what could not be sent.
        verdict = dataclasses.replace(verdict, what=What.SEND_FAILED)
    event = understand(rest, where)
    if verdict is None:
        if state.subjects is not None:
            event = by_context(event, rest, record, where, at, state.subjects, state.progress)
        # A refusal of which the reason is not known must not be taken for whatever else the record names.
        if event is None or (state.subjects is None and is_refusal(lines) and event.what in REFUSALS):
            return None
    else:
        event = (
            event or understand(f"{verdict.layer} sa negotiation failed: {rest}", where) or _without_more(rest, where)
        )
        notifies = verdict.notifies or event.notifies
        event = replace(
            event, what=verdict.what, far=verdict.far, bare=verdict.bare, layer=verdict.layer, notifies=notifies
        )
    if event.what is What.SELECTORS_REFUSED and (grid := asked_and_held(text)) is not None:
        event = replace(event, their_ts=grid[0], my_ts=grid[1])
    if event.what in _OF_PROPOSALS:
        sides = facing_proposals(lines, _PROTOCOLS.get(event.layer or "", ""))
        event = event if sides is None else replace(event, mine=sides[0], theirs=sides[1], offers=(), bare=False)
    if verdict is not None and state.subjects is not None:
        event = by_context(event, rest, record, where, at, state.subjects, state.progress) or event
    return _placed(event, rest, text, at, assumed, state)


def _placed(event: Event, rest: str, text: str, at: float | None, assumed: tuple[str, ...], state: LogState) -> Event:
    """The event of a record with its time and its peer."""
    if event.peer in state.own:
        event = _turned(event, rest, state.own)
    return _tied(replace(event, at=at, assumed=assumed, text=text), state)


_PROTOCOLS = {"child": "ESP", "ike": "IKE"}
_OF_PROPOSALS = frozenset({
    What.PROPOSAL_REFUSED, What.IKE_PROPOSAL_REFUSED, What.CHILD_PROPOSAL_REFUSED, What.PFS_REFUSED,
})  # fmt: skip


def _unsent(line: str) -> bool:
    return "route" in lex.ideas_of(lex.plain(line))


def _without_more(text: str, where: Provenance) -> Event:
    """What a record has besides its verdict: the address in it."""
    peer, port = next(iter(read_addresses(text).endpoints), (None, None))
    return Event(What.REFUSED, where, text, peer=peer, peer_port=port)


def _turned(event: Event, line: str, own: AbstractSet[str]) -> Event:
    """An event whose peer is the writer itself: the other address of the line is the peer, wherever it stands."""
    others = [(address, port) for address, port in read_addresses(line).endpoints if address not in own]
    peer, port = others[0] if others else (None, None)
    return replace(event, own=event.peer, peer=peer, peer_port=port)


def times_of(lines: Iterable[tuple[int, str]], near: float) -> dict[int, float]:
    """The moments of numbered lines, in seconds since 1970 UTC, as their log is read; `near` is a moment of the same time, which tells the
    year where none is written. Lines without a time are left out."""
    day = day_of(near // 86_400)
    clock = Clock(day[0] if day is not None else 1970)
    out: dict[int, float] = {}
    for number, line in lines:
        frame = unframe(line)
        at = frame.at if frame.at is not None else clock.take(line if frame.flat else frame.text)[1]
        if at is not None:
            out[number] = at
    return out


def _peer_of(event: Event, conn: str | None, state: LogState) -> str | None:
    """The peer that an event names, or that its SA, its connection or an identity had in earlier lines."""
    peer = event.peer
    if peer is None and event.sa:
        peer = state.peer_of_sa.get(event.sa)
    if peer is None and conn:
        peer = state.peer_of_conn.get(conn)
    if peer is None and event.identities:
        peer = next((state.peer_of_identity[i] for i in event.identities if i in state.peer_of_identity), None)
    if peer is None and state.subjects is not None:
        peer = state.subjects.of(event.text)
    if peer is None and not event.sa and not conn:
        peer = state.last_peer
    return peer


def _tied(event: Event, state: LogState) -> Event:
    """Give the event the peer and the connection its SA number or name had in earlier lines."""
    conn = event.conn or (state.conn_of_sa.get(event.sa) if event.sa else None)
    peer = _peer_of(event, conn, state)
    if peer:
        if event.peer and len(event.identities) == 1:
            state.peer_of_identity[event.identities[0]] = peer
        if event.sa:
            state.peer_of_sa[event.sa] = peer
        if conn:
            state.peer_of_conn.setdefault(conn, peer)
        state.last_peer = peer
    if conn and event.sa:
        state.conn_of_sa[event.sa] = conn
    return replace(event, peer=peer, conn=conn) if (peer, conn) != (event.peer, event.conn) else event
