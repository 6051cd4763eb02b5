"""Which refusal leads: of all that still stand at both ends, and on the wire, the one that tells most."""

from __future__ import annotations

from dataclasses import dataclass, replace

from stomion.crypto.agreement import agree
from stomion.exchange.automaton import Reach
from stomion.exchange.negotiation import Negotiation
from stomion.exchange.story import CHILD_FAILURES, Refusal
from stomion.logs.guess import turns_away
from stomion.logs.lexicon import plain
from stomion.model.event import What
from stomion.space.ranges import same
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.up import up_of

# The refusing end's own, specific word first; then what its peer heard; silence only where nobody said anything.
# Order within: a reason that precedes others in the exchange (no configuration, version) before those it could cause.
_OWN_RANK = (
    What.SEND_FAILED, What.VERSION_REFUSED, What.MODE_REFUSED, What.CERTIFICATE_REFUSED, What.KEY_REFUSED,
    What.METHOD_REFUSED, What.IDENTITY_REFUSED, What.NO_PEER, What.IKE_PROPOSAL_REFUSED, What.PFS_REFUSED,
    What.ENCAPSULATION_REFUSED, What.INSTALL_FAILED, What.SELECTORS_REFUSED, What.CHILD_PROPOSAL_REFUSED, What.NARROWED, What.UNDECRYPTABLE,
    What.AUTH_REFUSED,
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Cause:
    """`by` is the end that said no; `heard` is True where only its peer, or the wire, tells so. `all` are all refusals that stand."""

    what: What
    by: End
    heard: bool
    refusal: Refusal | None
    all: tuple[tuple[End, Refusal], ...] = ()
    negotiation: Negotiation | None = None
    explained: bool = False
    """A bare refusal, for which both ends' sheets name the reason."""
    declared: bool = False
    """From both ends' sheets alone, by arithmetic: nothing was seen of it yet."""


def leading_cause(picture: Picture) -> Cause | None:
    """The refusal that explains the tunnel's state, or None where nothing stands."""
    if _carries_after(picture):
        return None
    standing = _without_guesses(picture, [(e, r) for e in picture.ends for r in e.story.standing])
    own = [(e, r) for e, r in standing if not r.event.far]
    far = [(e, r) for e, r in standing if r.event.far and not _forgiven(picture.other(e))]
    best = _best(own)
    heard = _best(far)
    if best and heard and best[1].what is What.AUTH_REFUSED and heard[1].what is not What.AUTH_REFUSED:
        best = None if heard[1].what in _OWN_RANK[:10] else best
    if best and heard and _is_symptom(best[1].what, heard[1].what):
        best = None
    if best:
        return Cause(best[1].what, best[0], False, best[1], tuple(standing))
    if heard:
        told = Cause(heard[1].what, picture.other(heard[0]), True, heard[1], tuple(standing))
        return _explained(picture, told)
    wire = _wire_cause(picture) or _silent_at_the_key(picture)
    return _explained(picture, wire) if wire is not None else _declared_cause(picture)


_OF_AUTH = (What.KEY_REFUSED, What.IDENTITY_REFUSED, What.CERTIFICATE_REFUSED, What.METHOD_REFUSED)
_AT_THE_OPENING = (What.VERSION_REFUSED, What.MODE_REFUSED, What.NO_PEER, What.IKE_PROPOSAL_REFUSED)


def _is_idle(guess: Refusal, other: End) -> bool:
    """Does a line that is taken for a refusal turn nothing away, while the other end tells of a Child SA that stands?"""
    return other.story.child_up is not None and not turns_away(plain(guess.event.text))


def _without_guesses(picture: Picture, standing: list[tuple[End, Refusal]]) -> list[tuple[End, Refusal]]:
    """What is guessed gives way to the wire and to what was understood, save where that is a bare refusal of which it may be the reason."""
    standing = [(e, r) for e, r in standing if not (r.event.guessed and _is_idle(r, picture.other(e)))]
    known = [r.what for _, r in standing if not r.event.guessed]
    if picture.negotiations:
        return [(e, r) for e, r in standing if not r.event.guessed]
    if not known:
        return standing
    fits: tuple[What, ...] = ()
    if all(what is What.AUTH_REFUSED for what in known):
        fits = _OF_AUTH
    elif all(r.what is What.IKE_PROPOSAL_REFUSED and r.event.far for _, r in standing if not r.event.guessed):
        fits = _AT_THE_OPENING
    return [(e, r) for e, r in standing if not r.event.guessed or (r.what in fits and not r.event.far)]


def _forgiven(refuser: End) -> bool:
    """Does the refuser's own log tell of its refusals, and of an SA that came up after all of them? Then its peer heard those."""
    story = refuser.story
    over = any(not r.event.far for r in story.history) and all(r.event.far for r in story.standing)
    return over and any(up is not None for up in (story.child_up, story.ike_up, story.child_agreed))


_DECIDED_BY_SHEETS = (What.VERSION_REFUSED, What.MODE_REFUSED, What.METHOD_REFUSED, What.KEY_REFUSED)


def _explained(picture: Picture, cause: Cause) -> Cause:
    """A bare refusal has several causes; where the sheets of both ends contradict each other, that is the one."""
    by, asker = cause.by, picture.other(cause.by)
    if by.sheet is None or asker.sheet is None:
        return cause
    what: What | None = None
    if cause.what in (What.IKE_PROPOSAL_REFUSED, What.AUTH_REFUSED):
        clash = _declared_clash(asker, by)
        fits = clash is not What.KEY_REFUSED or cause.what is What.AUTH_REFUSED
        what = clash if clash in _DECIDED_BY_SHEETS and fits else None
    if what is None and cause.what is What.IKE_PROPOSAL_REFUSED and _expects_another(by, asker):
        what = What.NO_PEER
    if what is None and cause.what is What.AUTH_REFUSED and differ(by.sheet.remote_id, asker.sheet.local_id):
        what = What.IDENTITY_REFUSED
    return replace(cause, what=what, explained=True) if what is not None else cause


def _expects_another(by: End, asker: End) -> bool:
    """Is the refuser's peer address none of the asker's?"""
    assert by.sheet is not None
    address = by.sheet.peer
    return bool(asker.addresses) and address[:1].isdecimal() and address not in asker.addresses


def differ(a: str, b: str) -> bool:
    """Are two identities both named, and not the same? `any` fits every one."""
    return bool(a and b) and a != b and "any" not in (a.strip("%"), b.strip("%"))


def _declared_cause(picture: Picture) -> Cause | None:
    """What two sheets that contradict each other must lead to, unless the tunnel is seen to be up all the same."""
    left, right = picture.ends
    if left.sheet is None or right.sheet is None:
        return None
    if not up_of(picture).ever:
        what = _declared_clash(left, right)
        if what is not None:
            return Cause(what, right, False, None, declared=True)
    return Cause(What.SELECTORS_REFUSED, right, False, None, declared=True) if not _mirrored(left, right) else None


def _declared_clash(left: End, right: End) -> What | None:
    """The first thing, in the order of the exchange, that the sheets can't agree on."""
    assert left.sheet is not None and right.sheet is not None
    if left.sheet.ike and right.sheet.ike and left.sheet.ike != right.sheet.ike:
        return What.VERSION_REFUSED
    if left.sheet.mode and right.sheet.mode and left.sheet.mode != right.sheet.mode:
        return What.MODE_REFUSED
    for what, mine, theirs in (
        (What.IKE_PROPOSAL_REFUSED, left.ike_proposals, right.ike_proposals),
        (What.CHILD_PROPOSAL_REFUSED, left.child_proposals, right.child_proposals),
    ):
        if mine and theirs and agree(mine, theirs, left.sheet.ike or right.sheet.ike or 2) is None:
            return what
        if (
            what is What.IKE_PROPOSAL_REFUSED
            and left.sheet.auth
            and right.sheet.auth
            and left.sheet.auth != right.sheet.auth
        ):
            return What.METHOD_REFUSED
        if what is What.IKE_PROPOSAL_REFUSED and marks_differ(left, right):
            return What.KEY_REFUSED
    return None


def marks_differ(left: End, right: End) -> bool:
    """Both sheets carry a mark of their key, and the marks are not the same: one key is mistyped."""
    a, b = (e.sheet.key_mark if e.sheet else "" for e in (left, right))
    return bool(a and b) and a.lower() != b.lower()


def _mirrored(left: End, right: End) -> bool:
    """Each end's local ranges are the other's remote ones; unknown counts as mirrored."""
    a, b = left.sheet, right.sheet
    assert a is not None and b is not None
    pairs = ((a.local_ts, b.remote_ts), (b.local_ts, a.remote_ts))
    return all(not x or not y or same(x, y) for x, y in pairs)


def _is_symptom(own: What, heard: What) -> bool:
    """A message that could not be read is often the other end's error notify, unreadable itself."""
    return own is What.UNDECRYPTABLE and heard not in (What.UNDECRYPTABLE, What.AUTH_REFUSED)


def _best(found: list[tuple[End, Refusal]]) -> tuple[End, Refusal] | None:
    """The best-ranked kind, of it the latest; IKE failures before child failures of the same rank list."""
    ranked = [x for x in found if x[1].what in _OWN_RANK]
    if not ranked:
        return None
    ike = [x for x in ranked if x[1].what not in CHILD_FAILURES]
    pool = ike or ranked
    lead = min(_OWN_RANK.index(r.what) for _, r in pool)
    return [x for x in pool if _OWN_RANK.index(x[1].what) == lead][-1]


def _carries_after(picture: Picture) -> bool:
    """True where traffic tests between the LANs, made after the last standing refusal, all got through."""
    moments = [r.event.at for e in picture.ends for r in e.story.standing]
    if not moments or any(m is None for m in moments):
        return False
    last = max(m for m in moments if m is not None)
    later = [t for t in picture.tests if t.at is not None and t.at > last and t.expected]
    return bool(later) and all(t.passed for t in later) and {t.from_left for t in later} == {True, False}


_WIRE = {
    Reach.INIT_REFUSED: What.IKE_PROPOSAL_REFUSED,
    Reach.AUTH_REFUSED: What.AUTH_REFUSED,
}


def _wire_cause(picture: Picture) -> Cause | None:
    """From the packets alone, where no log of either end says anything decisive."""
    if any(e.story.child_up for e in picture.ends):
        return None
    last = _decisive(picture)
    if last is None or (picture.esp_last > last.start and last.reach is not Reach.CHILD_REFUSED):
        return None
    what = _WIRE.get(last.reach)
    if last.refusal == "INVALID_KE_PAYLOAD" and last.reach <= Reach.INIT_REFUSED:
        what = What.IKE_PROPOSAL_REFUSED
    if last.reach is Reach.CHILD_REFUSED:
        what = _CHILD.get(last.refusal)
    if last.version == 1:
        what = _wire_cause_v1(last, what)
    if what is None:
        return None
    by = picture.end_at(last.refused_by) or picture.end_at(last.responder) or picture.right
    return Cause(what, by, True, None, (), last)


def _silent_at_the_key(picture: Picture) -> Cause | None:
    """IKEv1 main mode by one end's log alone: the proposal was agreed, both directions passed, and the first encrypted message meets
    silence. Most often the keys differ, and the other end drops what it cannot read (RFC 2409 5.4)."""
    for end in picture.ends:
        story, other = end.story, picture.other(end)
        moved = any(e.what is What.NAT_FLOAT or e.peer_port == 4500 for e in end.events)
        if (
            not story.silence
            or story.ike_agreed is None
            or story.ike_ever is not None
            or moved
            or other.given
            or picture.negotiations
        ):
            continue
        if story.version == 1 and (story.silence[-1].at or 0.0) >= (story.ike_agreed.at or 0.0):
            return Cause(What.UNDECRYPTABLE, other, True, None)
    return None


_CHILD = {
    "NO_PROPOSAL_CHOSEN": What.CHILD_PROPOSAL_REFUSED,
    "TS_UNACCEPTABLE": What.SELECTORS_REFUSED,
    "SINGLE_PAIR_REQUIRED": What.SELECTORS_REFUSED,
    "INVALID_ID_INFORMATION": What.SELECTORS_REFUSED,
}
"""Refusals of a child, where the user's keys opened them."""


def _decisive(picture: Picture) -> Negotiation | None:
    """The last negotiation that got any answer, unless one since has come further."""
    answered = [n for n in picture.negotiations if n.reach > Reach.ASKED or n.refusal]
    return answered[-1] if answered else None


_V1_REFUSALS = {
    "NO_PROPOSAL_CHOSEN": What.IKE_PROPOSAL_REFUSED,
    "AUTHENTICATION_FAILED": What.AUTH_REFUSED,
    "INVALID_HASH_INFORMATION": What.KEY_REFUSED,
    "INVALID_EXCHANGE_TYPE": What.MODE_REFUSED,
    "UNSUPPORTED_EXCHANGE_TYPE": What.MODE_REFUSED,
    "INVALID_MAJOR_VERSION": What.VERSION_REFUSED,
}


def _wire_cause_v1(n: Negotiation, what: What | None) -> What | None:
    if n.refusal in _V1_REFUSALS:
        return _V1_REFUSALS[n.refusal]
    if n.reach in (Reach.AUTH_REFUSED, Reach.AUTH_ASKED) and n.retransmissions >= 2:
        # Main mode with a wrong key: message 5 again and again, answered, if at all, by something unreadable.
        return What.UNDECRYPTABLE
    if n.reach is Reach.AUTH_REFUSED:
        return What.AUTH_REFUSED
    return what
