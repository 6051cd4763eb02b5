"""What a line tells by how far its negotiation came, where its words alone do not."""

from __future__ import annotations

import re
from dataclasses import dataclass
from ipaddress import ip_network

from msgspec.structs import replace

from stomion.logs.contrast import are_two_pairs
from stomion.logs.guess import denies, turns_away
from stomion.logs.naming import identities_of, naming_of
from stomion.logs.understand import spis_of, understand
from stomion.logs.values import (
    AWAITED,
    OF_GROUP,
    STANDS,
    VERSION,
    are_apart,
    are_names_apart,
    are_two_names,
    begins,
    begins_by_a_word,
    begun,
    by_values,
    comes_in,
    has_arrow_in,
    has_choice,
    is_first_message,
    lacks_group,
    names_a_known,
)
from stomion.logs.words import pattern
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import Named
from stomion.vocabulary.algorithms import find_proposal

PROVEN = (What.AUTH_OK, What.IKE_UP, What.CHILD_UP)
STANDING = (What.IKE_UP, What.CHILD_UP)
_UNDER_WAY = (What.AGREED, What.AUTH_OK, What.IKE_UP)
CLOSED = (What.DELETED_BY_PEER, What.IKE_DOWN)
_VAGUE = (
    What.INITIATING, What.ASKED, What.PROPOSAL_REFUSED, What.IKE_PROPOSAL_REFUSED, What.AUTH_REFUSED, What.NO_ANSWER, What.NO_PEER,
    What.IDENTITY_REFUSED,
)  # fmt: skip
"""Events that a refusal of the version, the mode or a name is easily taken for."""
_OF_PROPOSALS = (What.PROPOSAL_REFUSED, What.IKE_PROPOSAL_REFUSED, What.CHILD_PROPOSAL_REFUSED)
_SILENT = (What.NO_ANSWER, What.GAVE_UP)
_OF_PROOF = (What.CERTIFICATE_REFUSED, What.KEY_REFUSED, What.IDENTITY_REFUSED, What.AUTH_REFUSED)
_ENDED = pattern("stands no more")
_ENDS_WELL = pattern("ends well")
_THERE = pattern("the peer")
_CAME_IN = pattern("came in")
_NAMED_PEER = pattern("peer named")
_BY_HAND = pattern("by hand")
_BY_THE_PEER = pattern("by the peer")
_SILENCE = pattern("no answer")
_UNREADABLE = pattern("unreadable")
_AGAIN = pattern("once more")
_FINAL = pattern("for good")
_DEAD = re.compile(r" dead(?= )")
_DELETE = re.compile(r" (?:deletes?|deleted|deletion)(?= )")
NOBODY = pattern("nobody")
_NOBODY_THERE = pattern("nobody there")
UNKNOWN = pattern("unknown")
OF_KEY = pattern("of a key")
_OF_SECRET = pattern("secret")
_LACKS = pattern("lacks")
_UNSENT = pattern("unsent")
_MACHINERY = pattern("machinery")
_KERNEL = pattern("kernel")
_CUT = pattern("cut")
_TWO_VERSIONS = pattern("two versions")
_UNSPOKEN = pattern("unspoken")
NAT_PORT = 4500
_PORT = re.compile(rf" {NAT_PORT}(?= )")
_EITHER = pattern("either version")
_CELL_IN = re.compile(r"[,;|\t]\s*\"?(?:in|inbound|rx|recv|received|incoming)\"?\s*(?=[,;|\t])", re.IGNORECASE)
"""A column of a table that tells the direction."""
_MODE = re.compile(r" (main|aggr)(?:essive)?(?= )")

_NOTIFY = re.compile(
    r"(?<![\d.,/-])(?<![\d\s]:)(?<!group )(?<!dh )(?<!modp )(5|14|24|38|0x0*(?:5|e|18|26)|0e)(?![\w.:/-])",
    re.IGNORECASE,
)
_OF_NOTIFY = {
    "5": What.VERSION_REFUSED,
    "14": What.PROPOSAL_REFUSED,
    "24": What.AUTH_REFUSED,
    "38": What.SELECTORS_REFUSED,
}
"""RFC 7296 section 3.10.1."""


@dataclass(frozen=True, slots=True)
class Line:
    """A line without its time, in plain words (without numbers in brackets, which are the writer's own: `ike [1]` is no version), what it
    names, and whose negotiation it is of."""

    text: str
    words: str
    named: Named
    peer: str
    where: Provenance


def told(event: Event | None, line: Line, stage: What | None) -> Event | None:
    """What a line tells at a stage of its negotiation; `event` is what its words alone tell."""
    text, words, ranges = line.text, line.words, line.named.ranges
    found = _of_two_pairs(event, line) if are_two_pairs(ranges) else None
    if found is not None:
        return found
    if event is None and are_apart(text):
        event = _of_two_proposals(line)
    if event is None and " notify " in words:
        event = _known_to_be_of_one(line)
    if event is None or (event.what is What.CHILD_UP and not event.spis and not event.my_ts):
        what = by_values(text, words, line.named)
        if stage in _UNDER_WAY and begins_by_a_word(words, what) and not _AGAIN.search(words):
            what = None
        what = what or (_by_stage(line, stage) if event is None else None)
        if what is What.PROPOSALS:
            return _offered(line, stage)
        if what is not None:
            event = made(what, line) if event is None else replace(event, what=what)
    if event is not None and event.what is What.INITIATING and stage in (What.INITIATING, What.AGREED):
        event = replace(event, what=What.RESENT) if _AGAIN.search(words) else event
    event = event or _known_to_be_of_one(line)
    if event is None:
        return None
    if event.what is What.IKE_UP and stage is What.IKE_DOWN and _ENDED.search(words):
        # Nothing began since: "the first stage is over" is its end.
        return replace(event, what=What.IKE_DOWN)
    return _of_child(event, line, stage) if stage in PROVEN else _of_ike(event, line, stage)


def _offered(line: Line, stage: What | None) -> Event:
    """Algorithms that whoever began offers."""
    offer = find_proposal(line.text, "IKE")
    event = made(What.PROPOSALS, line)
    return replace(event, mine=offer) if stage is What.INITIATING else replace(event, theirs=offer)


def _known_to_be_of_one(line: Line) -> Event | None:
    """A line that is known to be of a negotiation needs no word of the trade to be asked what it says."""
    event = understand(f"sad: {line.text}", line.where)
    return None if event is None else replace(event, text=line.text, peer=event.peer or line.peer)


def by_number(line: Line, stage: What | None) -> What | None:
    """What the only number of a line refuses that may be a notify's."""
    # Two digits with a letter, or after 0x, are hexadecimal.
    numbers = {n if n.isdecimal() else str(int(n, 16)) for n in _NOTIFY.findall(line.text)}
    what = _OF_NOTIFY[numbers.pop()] if len(numbers) == 1 else None
    if what is What.PROPOSAL_REFUSED:
        return What.CHILD_PROPOSAL_REFUSED if stage in PROVEN else What.IKE_PROPOSAL_REFUSED
    return what


def _of_two_proposals(line: Line) -> Event | None:
    """What algorithms tell that differ: they are refused where the line denies something, or says of each set whose it is."""
    event = understand(f"proposal refused: {line.text}", line.where)
    if event is None or denies(line.words):
        return event
    sides = [side for side in (event.mine, event.theirs) if side is not None and not has_choice(side)]
    return event if len(sides) == len(("mine", "theirs")) and AWAITED.search(line.words) else None


def _of_two_pairs(event: Event | None, line: Line) -> Event | None:
    """What two pairs of networks tell that differ: one was asked for, the other is held. A child that came up may name both too."""
    words, ranges = line.words, line.named.ranges
    cut, denied = _CUT.search(words) is not None, denies(words)
    refused = denied or AWAITED.search(words) is not None
    # Without a word for it, a pair of hosts in another one is a packet in what carries it.
    narrowed = (cut or not (denied or any(map(_is_host, ranges[2:])))) and _are_within(ranges[2:], ranges[:2])
    if event is None or event.what is What.SELECTORS_REFUSED:
        if not (narrowed or refused):
            return None
    elif event.what is not What.CHILD_UP or cut or event.spis or not refused:
        return None
    return understand(f"traffic selectors {'narrowed' if narrowed else 'refused'}: {line.text}", line.where)


def _is_host(network: str) -> bool:
    return network.endswith(("/32", "/128"))


def _are_within(narrow: tuple[str, ...], wide: tuple[str, ...]) -> bool:
    """Is one pair of networks contained in another, in either order?"""
    try:
        one, other = [ip_network(n) for n in narrow], [ip_network(n) for n in wide]
        orders = (other, other[::-1])
        return any(all(n.subnet_of(w) for n, w in zip(one, order, strict=True)) for order in orders)  # type: ignore[arg-type]
    except (ValueError, TypeError):
        return False


def _of_ike(event: Event, line: Line, stage: What | None) -> Event:
    """Before the peers have proved who they are, what is refused is the IKE SA's."""
    text, words = line.text, line.words
    event = _of_proof(event, line)
    if event.what is What.RESENT and denies(words) and _SILENCE.search(words):
        event = replace(event, what=What.GAVE_UP if _FINAL.search(words) else What.NO_ANSWER)
    if event.what is What.INITIATING and comes_in(text, words):
        event = replace(event, what=What.ASKED)
    if event.what is What.ASKED and denies(words) and UNKNOWN.search(words):
        return replace(event, what=What.NO_PEER)
    if event.what is What.NO_PEER and stage in (What.INITIATING, What.AGREED) and _NOBODY_THERE.search(words):
        return replace(event, what=What.NO_ANSWER, far=False, bare=False)
    if event.what is What.NO_PEER and stage is What.AGREED:
        # What was agreed on was agreed on with somebody who is known: it is his proof that failed.
        of_key = OF_KEY.search(words) is not None and not are_names_apart(text, words)
        return replace(event, what=What.KEY_REFUSED if of_key else What.IDENTITY_REFUSED)
    if _is_of_nobody(event, line, stage):
        return replace(event, what=What.NO_PEER)
    apart = _apart(text, words) if event.what in _VAGUE else None
    if apart is not None:
        return replace(event, what=apart, far=False, bare=False)
    if stage is What.INITIATING or event.notifies or event.what not in _OF_PROPOSALS:
        return event
    return replace(event, what=What.NO_PEER, far=False, bare=False) if _is_at_the_door(line) else event


def _of_proof(event: Event, line: Line) -> Event:
    """A refused proof with what of it was refused: the key, or the name that came in place of another one."""
    text, words = line.text, line.words
    of_key = OF_KEY.search(words) is not None
    if event.what is What.AUTH_REFUSED and of_key:
        event = replace(event, what=What.KEY_REFUSED)
    if event.what is What.IDENTITY_REFUSED and of_key and not (are_two_names(text) or _LACKS.search(words)):
        # Whose key it is stands beside it.
        event = replace(event, what=What.KEY_REFUSED)
    if (
        event.what in (What.KEY_REFUSED, What.AUTH_REFUSED)
        and are_names_apart(text, words)
        and not _OF_SECRET.search(words)
    ):
        event = replace(event, what=What.IDENTITY_REFUSED)
    return event


def _is_of_nobody(event: Event, line: Line, stage: What | None) -> bool:
    """Does a line say of whoever asks that nobody is known there, in words that are of silence, of proposals or of networks elsewhere?"""
    if NOBODY.search(line.words) is None:
        return False
    if event.what in _SILENT:
        asked = stage is What.ASKED and bool(line.named.endpoints) and VERSION.search(line.words) is not None
        return asked or (stage is not What.INITIATING and _is_at_the_door(line))
    if event.what in _OF_PROPOSALS:
        return stage is not What.INITIATING and not event.notifies and find_proposal(line.text, "IKE") is None
    return event.what is What.SELECTORS_REFUSED and not line.named.ranges and bool(line.named.endpoints)


def _is_at_the_door(line: Line) -> bool:
    """Does somebody ask, by his address and a version, and name no proposal yet? Who is refused then is turned away himself."""
    asks = bool(line.named.endpoints) and VERSION.search(line.words) is not None and comes_in(line.text, line.words)
    return asks and find_proposal(line.text, "IKE") is None


def _of_child(event: Event, line: Line, stage: What | None) -> Event | None:
    """Once the peers have proved who they are, what is refused is the child's, and what is opened is the IKE SA."""
    words = line.words
    if event.what in (*_OF_PROPOSALS, What.NO_PEER):
        if _MACHINERY.search(words) and not _BY_THE_PEER.search(words):
            return replace(event, what=What.INSTALL_FAILED, layer="child", far=False, bare=False)
        if lacks_group(words):
            return replace(event, what=What.PFS_REFUSED, layer="child")
        if event.what is What.NO_PEER and find_proposal(line.text, "ESP") is None:
            return None
        return replace(event, what=What.CHILD_PROPOSAL_REFUSED, layer="child")
    by_the_peer = _BY_THE_PEER.search(words) is not None or _CELL_IN.search(line.text) is not None
    if stage in STANDING and event.what is What.IKE_DOWN and by_the_peer and not _BY_HAND.search(words):
        return replace(event, what=What.DELETED_BY_PEER)
    if stage in STANDING and event.what in _OF_PROOF and not event.notifies and by_number(line, stage) is None:
        # What stood is taken back, not refused.
        ended = _ended(line, stage)
        return event if ended is None else replace(event, what=ended, layer="ike", far=False, bare=False)
    if event.what is What.INITIATING and stage is What.AUTH_OK and event.version is None:
        return replace(event, what=What.IKE_UP)
    return event


def _by_stage(line: Line, stage: What | None) -> What | None:
    """What a line without a known meaning tells, by how far its negotiation came."""
    text, words = line.text, line.words
    if stage not in PROVEN and are_names_apart(text, words):
        return What.IDENTITY_REFUSED
    if stage is What.AGREED and _UNREADABLE.search(words):
        return What.UNDECRYPTABLE
    if (
        stage is What.AGREED
        and _PORT.search(words)
        and not denies(words)
        and NAT_PORT not in dict(line.named.endpoints).values()
    ):
        return What.NAT_FLOAT
    if stage is What.AGREED and names_a_known(text, words):
        return What.AUTH_OK
    well = _ENDS_WELL.search(words) is not None
    unsent = stage not in STANDING and _UNSENT.search(words) is not None
    denied = denies(words) or _SILENCE.search(words) is not None or (not well and _ENDED.search(words) is not None)
    denied = denied or unsent
    refused = _refused(line, stage) if denied or AWAITED.search(words) else None
    if refused is None and stage not in PROVEN:
        refused = _apart(text, words)
    if refused is not None:
        return refused
    if not denied and stage in (What.AGREED, What.AUTH_OK):
        return What.IKE_UP if well or STANDS.search(words) else None
    if not denied:
        first = begins(words) or is_first_message(words) or VERSION.search(words) is not None
        return begun(text, words) if stage in (None, What.IKE_DOWN) and first else None
    if unsent:
        return What.SEND_FAILED
    if stage is What.AGREED and OF_KEY.search(words) and _DEAD.search(words):
        # An attempt that is dead of its key.
        return What.KEY_REFUSED
    if stage in (None, What.ASKED, What.IKE_DOWN) and _is_at_the_door(line):
        return What.NO_PEER
    return _ended(line, stage)


def is_of_kernel(words: str) -> bool:
    """Does a line name what carries packets, and say nothing good of it?"""
    return _KERNEL.search(words) is not None and not (STANDS.search(words) or _ENDS_WELL.search(words))


def _ended(line: Line, stage: What | None) -> What | None:
    """What a line tells of silence or of an end."""
    words = line.words
    silent, again, over = _SILENCE.search(words), _AGAIN.search(words), _ENDED.search(words)
    if stage is What.IKE_DOWN and (over or silent) and not again:
        return What.IKE_DOWN
    if stage in STANDING and silent and (_DELETE.search(words) or _BY_HAND.search(words)):
        # Whoever takes it down says so; that it is dead then says nothing of silence.
        silent, over = None, silent
    if silent:
        if stage in STANDING:
            return What.PEER_LOST
        return What.RESENT if again else What.GAVE_UP if _FINAL.search(words) else What.NO_ANSWER
    if stage is What.INITIATING and again:
        return What.RESENT
    if stage in STANDING and over:
        deeds = _NAMED_PEER.sub(" ", words)
        there = _THERE.search(deeds) or _BY_THE_PEER.search(words) or _CAME_IN.search(deeds) or has_arrow_in(line.text)
        return What.DELETED_BY_PEER if there and not _BY_HAND.search(deeds) else What.IKE_DOWN
    return None


def _refused(line: Line, stage: What | None) -> What | None:
    """What two values of one kind tell that stand in a line which denies something."""
    words, named = line.words, line.named
    if stage in PROVEN:
        if are_two_pairs(named.ranges):
            return What.SELECTORS_REFUSED
        if stage is not What.CHILD_UP and _MACHINERY.search(words) and not _BY_THE_PEER.search(words):
            return What.INSTALL_FAILED
        of_group = not named.ranges and OF_GROUP.search(words) is not None
        return What.PFS_REFUSED if of_group and turns_away(words) else None
    if stage is What.AGREED and _KERNEL.search(words):
        return What.INSTALL_FAILED
    if named.endpoints and stage is not What.INITIATING and NOBODY.search(words):
        return What.NO_PEER
    if are_two_pairs(named.ranges):
        return What.SELECTORS_REFUSED
    apart = _apart(line.text, words)
    if apart is None and stage is What.INITIATING and _UNSPOKEN.search(words):
        return What.VERSION_REFUSED
    return apart


def _apart(text: str, words: str) -> What | None:
    """Two modes in one line: nobody names both where they are the same. Two versions or two names where another was awaited."""
    if len(set(_MODE.findall(words))) > 1:
        return What.MODE_REFUSED
    versions = set(VERSION.findall(words))
    if _TWO_VERSIONS.search(words) or (len(versions) > 1 and comes_in(text, words) and not _EITHER.search(words)):
        return What.VERSION_REFUSED
    if not denies(words) and not AWAITED.search(words):
        return None
    if len(versions) > 1:
        return What.VERSION_REFUSED
    return What.IDENTITY_REFUSED if are_names_apart(text, words) else None


def made(what: What, line: Line) -> Event:
    """An event with what its line names."""
    text, named = line.text, line.named
    naming = naming_of(text)
    version = VERSION.search(line.words)
    agreed = find_proposal(text, "IKE") if what is What.AGREED else None
    return Event(
        what, line.where, text, peer=line.peer, peer_port=dict(named.endpoints).get(line.peer), conn=naming.conn, sa=naming.sa,
        version=int(version[1]) if version is not None else None, spis=spis_of(text, what),
        my_ts=named.ranges[:2] if what is What.CHILD_UP else (), mine=agreed, theirs=agreed,
        identities=identities_of(text, naming.conn) if what is What.AUTH_OK else (),
        layer="ike" if what in CLOSED else None,
    )  # fmt: skip
