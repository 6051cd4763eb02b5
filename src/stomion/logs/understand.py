"""One line to one typed event, by the lexicon alone: no wording of any program is assumed."""

from __future__ import annotations

import re
from functools import lru_cache

import msgspec
from msgspec.structs import replace

from stomion.logs import lexicon as lex
from stomion.logs.alike import UNUSABLE, Marked, Shape, filled, mark, shape_of
from stomion.logs.classify import EXCHANGES, REFUSALS, Exchange, classify, layer_of
from stomion.logs.contrast import contrast_of, may_contrast, sets_names_apart
from stomion.logs.grid import asked_and_held
from stomion.logs.naming import identities_of, naming_of, without_names
from stomion.logs.offers import announces_algorithms, is_held_against, proposals_of
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import Named, read_addresses
from stomion.vocabulary.algorithms import find_proposal

_SPI = re.compile(r"(?<![0-9a-fA-F-])(?:0x)?([0-9a-f]{8})(?:_[io])?(?![0-9a-fA-F-])", re.IGNORECASE)
_VERSION = re.compile(r"ike ?v(?:ersion)?[ =\"]*([12])|\bike version ([12])|version[ =\"]+([12])\b", re.IGNORECASE)

SETTING = re.compile(r"(?:^|[\]:]\s)\s{0,40}[a-z][a-z0-9_.-]{1,40} = \S{1,60}$")
"""One setting read back from a configuration: its words tell of no happening."""
_STATE_CHANGE = re.compile(r"\bstate\b.*?(\w+)\s*(?:=>|->|→|to)\s*(\w+)", re.IGNORECASE)
_SETTLED = re.compile(r"establish|installed|up$|open|active|mature|ready|dead|fail", re.IGNORECASE)


_LISTENS = re.compile(r"\b(?:listen\w*|bound|bind\w*)\b", re.IGNORECASE)


class Said(msgspec.Struct, frozen=True):
    """What the words of a line say, apart from its numbers and names."""

    what: What
    far: bool
    bare: bool
    ideas: frozenset[str]
    notifies: tuple[str, ...]
    exchange: Exchange | None
    layer: str | None
    mode: str | None
    request: bool | None


_NUMBERS = re.compile(
    r"\d{1,3}(?:\.\d{1,3}){3}(?!\d)|(?<![\w.])(?=[0-9a-f]*\d)[0-9a-f]{8,}(?![\w.])"
    r"|(?<=[\[|#{<])\d{1,9}(?=[\]}>:])(?<!500)|(?<![\w.])(?!4?500\b)\d{3,}(?=[ s])"
)
_AUTH_NOTIFY = re.compile(
    r"auth\w{0,24}[_-]fail|notif|\b24\b|\b0x18\b|N\(AUTH|AuthenticationFailed|AUTHENTICATION FAILED", re.IGNORECASE
)
_FIRST_SENTENCE = re.compile(r"(?!\.)(?:[^.]|\.(?! [A-Z])){11,460}+\.(?= [A-Z])")
SHAPES_KEPT = 16_384
"""Wordings remembered: a log says the same few hundred things with other numbers."""
KEPT_LENGTH = 1_000
"""Characters of the longest of them."""
MOST_SAID = 4_096
"""Characters of a line that are asked for a meaning: no sentence is longer, and some of the patterns take time that grows with its square."""


def understand(line: str, where: Provenance) -> Event | None:
    """The event in a cleaned line (without its time), or None where it says nothing about a negotiation."""
    line = line[:MOST_SAID]
    if len(line) > KEPT_LENGTH:
        return _at(event_of.__wrapped__(line), where)
    marked = mark(line)
    shape = _shape_of(marked) if marked is not None else UNUSABLE
    if marked is not None and shape.strict:
        marked = mark(line, strict=True)
        shape = _shape_of(marked, strict=True) if marked is not None else UNUSABLE
    if marked is None or not shape.usable:
        return _at(event_of(line), where)
    found = filled(shape, marked, line, where)
    if shape.checked < ENOUGH and marked.values:
        anew = _at(event_of(line), where)
        shape.checked += 1
        shape.usable = anew == found
        return anew
    return found


def _at(event: Event | None, where: Provenance) -> Event | None:
    return None if event is None else replace(event, where=where)


ENOUGH = 2
"""Lines of a shape that are read in full as well, before its others are taken to differ in nothing but their values."""
_SHAPES: dict[str, Shape] = {}


def forget() -> None:
    """Everything that was remembered of lines."""
    _SHAPES.clear()
    event_of.cache_clear()
    said_by.cache_clear()


def _shape_of(marked: Marked, strict: bool = False) -> Shape:
    key = f"{marked.text}\n" if strict else marked.text
    shape = _SHAPES.get(key)
    if shape is None:
        if len(_SHAPES) >= SHAPES_KEPT:
            _SHAPES.clear()
        shape = _SHAPES[key] = _shape_anew(marked)
    return shape


def _shape_anew(marked: Marked) -> Shape:
    line = marked.text
    said, contrasted = _words_of(line)
    by_values = said is not None and said.what is What.AUTH_REFUSED and may_contrast(line)
    if contrasted or by_values or (said is None and (may_contrast(line) or _LISTED.search(line))):
        # Its values tell what it says.
        return Shape(None, usable=False)
    event = event_of(line)
    if said is not None and event is not None and announces_algorithms(said.ideas, said.what):
        if marked.counts:
            return Shape(None, strict=True)
        if any(len(stand) < len("fade0000") and stand != event.sa for stand in marked.values):
            # A number in brackets that is not the SA's may be an algorithm's.
            return Shape(None, usable=False)
    return shape_of(marked, event)


_NOWHERE = Provenance("")


@lru_cache(SHAPES_KEPT)
def event_of(line: str) -> Event | None:
    """What a line says, wherever it stands: who tries again and again says the same again and again."""
    said, _ = _words_of(line)
    if said is None:
        return _listed(line)
    naming = naming_of(line)
    what = said.what
    identities = identities_of(line, naming.conn)
    if (what is What.NO_PEER and len(identities) > 1) or (what is What.AUTH_REFUSED and sets_names_apart(line)):
        # Who is unknown, or not believed, says a name, and another one is known.
        what = What.IDENTITY_REFUSED
    named = read_addresses(line)
    own, peer, port = _endpoints(line.lower(), named, said.ideas)
    if what is What.STARTED and _LISTENS.search(line):
        # Where a service listens is its own address.
        own, peer, port = own or peer, None, None
    mine, theirs, offers = proposals_of(line, said.ideas, what)
    if len(named.ranges) == len(("near", "far")) and _FAR_FIRST.search(line):
        named = Named(named.endpoints, named.ranges[::-1], named.pair)
    told = asked_and_held(line) if what in _OF_TWO_PAIRS and len(named.ranges) == _TWO_PAIRS else None
    my_ts, their_ts = (
        (told[1], told[0])
        if told is not None
        else _selectors(named, what, asked_of_me=not said.far and bool(_INITIATOR_FIRST.search(line)))
    )
    version = _VERSION.search(line)
    return Event(
        what=what,
        where=_NOWHERE,
        text=line,
        far=said.far and not is_held_against(line),
        # Who sets what it was asked against what it holds is the one that refuses.
        bare=said.bare and not (mine and theirs),
        peer=peer,
        peer_port=port,
        own=own,
        conn=naming.conn,
        sa=naming.sa,
        version=int(next(g for g in version.groups() if g))
        if version
        else (said.exchange.version or None if said.exchange else None),
        mode=said.mode,
        exchange=said.exchange.name if said.exchange else None,
        request=said.request,
        notifies=said.notifies,
        spis=spis_of(line, what),
        layer="child" if my_ts and what in (What.INITIATING, What.ASKED) else said.layer,
        mine=mine,
        theirs=theirs,
        offers=offers,
        my_ts=my_ts,
        their_ts=their_ts,
        identities=identities,
    )


def _words_of(line: str) -> tuple[Said | None, bool]:
    """(what a line says, is it told by two values that it sets against each other?)"""
    said = _said(line)
    if said is None and (first := _FIRST_SENTENCE.match(line)):
        # What comes after it explains, in words that may deny what the first one says.
        said = _said(first[0])
    if said is None and (contrasted := contrast_of(line)) is not None:
        return Said(contrasted, False, False, lex.ideas_of(lex.plain(line)), (), None, None, None, None), True
    return said, False


def _said(line: str) -> Said | None:
    return (said_by if len(line) <= KEPT_LENGTH else said_by.__wrapped__)(alike(line))


def alike(line: str) -> str:
    """A line with numbers of its kinds in place of its own."""
    return _NUMBERS.sub(_same_kind, line)


def _same_kind(m: re.Match[str]) -> str:
    """Another number of the same kind, so that lines that differ in numbers alone become one."""
    found = m[0]
    if "." in found:
        return "192.0.2.1"
    numbered = m.start() > 0 and m.string[m.start() - 1] in "[|#{<"
    return "1" if numbered else "deadbee1" if len(found) >= 8 else "999"


@lru_cache(SHAPES_KEPT)
def said_by(line: str) -> Said | None:
    """What a line says by its words."""
    if SETTING.search(line):
        return None
    arrow = _STATE_CHANGE.search(line)
    if arrow and (not _SETTLED.search(arrow[2]) or "rekey" in arrow[1].lower()):
        return None
    text = lex.plain(without_names(line))
    if not lex.RELEVANT.search(line.lower()) or (lex.NOISE.search(text) and not lex.STRONG.search(text)):
        return None
    notifies = lex.notifies_of(text)
    if "AUTHENTICATION_FAILED" in notifies and not _AUTH_NOTIFY.search(line):
        # In prose "authentication failed" is no notify: it says nothing of who refused whom.
        notifies = tuple(n for n in notifies if n != "AUTHENTICATION_FAILED")
    ideas = lex.ideas_of(text)
    exchange = next((e for e in EXCHANGES if f" {e.words}" in text), None)
    what = classify(text, ideas, notifies, exchange)
    if what is None:
        return None
    request = True if " request " in text else False if " response " in text else None
    far = lex.far_deed(text, ideas, notifies, what in REFUSALS)
    return Said(
        what,
        bool(far),
        far is None and what in REFUSALS,
        ideas,
        notifies,
        exchange,
        layer_of(ideas, exchange),
        _mode(text),
        request,
    )


def _endpoints(text: str, named: Named, ideas: frozenset[str]) -> tuple[str | None, str | None, int | None]:
    """(own address, peer address, peer's port) where the line tells which is which."""
    ports = dict(named.endpoints)
    if named.pair:
        first, second = named.pair
        reverse = "received" in ideas and "looking" not in text and " packet" in text
        own, peer = (second, first) if reverse else (first, second)
        return own, peer, ports.get(peer)
    if not named.endpoints:
        return None, None, None
    if len(named.endpoints) == 2 and " from " in text and " to " in text:
        own, peer = named.endpoints[0][0], named.endpoints[1][0]
        if "received" in ideas:
            own, peer = peer, own
        return own, peer, ports.get(peer)
    by_label = labelled(text, named) if len(named.endpoints) > 1 else None
    if by_label is not None:
        return by_label[0], by_label[1], ports.get(by_label[1])
    peer, port = named.endpoints[0]
    return None, peer, port


_LABEL = re.compile(
    r"(?<![a-z])(?:(?P<own>local|own|me|mine|near|here|home|self|our)|(?P<peer>remote|peer|far|their|away|partner|other))(?:[ _-]?(?:address|addr|ip|end|gateway|gw|host))?"
    r"[\"' ]{0,2}[:=.]{0,40}[\"' ]{0,4}$"
)


def labelled(text: str, named: Named) -> tuple[str, str] | None:
    """(own address, peer's) of a line, in lower case, that says with each whose it is."""
    found: dict[str, str] = {}
    for address, _ in named.endpoints:
        at = text.find(address)
        label = _LABEL.search(text[max(0, at - 64) : max(0, at)])
        if label is not None and label.lastgroup is not None:
            found.setdefault(label.lastgroup, address)
    return (found["own"], found["peer"]) if len(found) == len(("own", "peer")) else None


_LISTED = re.compile(r"(?:^|\s)\d{1,3}:(?P<layer>IKE|ESP)=(?P<words>[A-Z0-9_+-]{3,512})\s*$")
_OF_CONNECTION = re.compile(r"\s*\"([^\"\s]{1,128})\":")


def _listed(line: str) -> Event | None:
    """One numbered proposal of the writer's own settings, on a line by itself."""
    line = line.rstrip()
    found = _LISTED.search(line)
    mine = find_proposal(found["words"], found["layer"]) if found else None
    if mine is None:
        return None
    conn = _OF_CONNECTION.match(line)
    return Event(What.PROPOSALS, _NOWHERE, line, conn=conn[1] if conn else naming_of(line).conn, mine=mine)


_NET = (
    r"[^;\d]{0,40}?\d{1,3}(?:\.\d{1,3}){3}\s{0,2}(?:/|-|–|\.\.|,? (?:len|bits|prefix|plen|mask|netmask|wildcard|to)\b)"
)
_FAR_FIRST = re.compile(
    rf"^(?:(?!\b(?:near|local|own|ours?|home|here|mine|my)[\W_]).)*?\b(?:far|remote|peers?|partners?|theirs?|away|opposite)[\W_]{_NET}"
    rf".*?\b(?:near|local|own|ours?|home|here|mine|my)[\W_]{_NET}",
    re.IGNORECASE | re.DOTALL,
)
"""Two ranges, each with a word before it that says whose it is, the peer's first."""
_INITIATOR_FIRST = re.compile(r"\bTSi\b.{1,80}\bTSr\b", re.IGNORECASE | re.DOTALL)
"""Selectors by their names in IKEv2: the initiator's side stands first (RFC 7296 2.9)."""


_OF_TWO_PAIRS = (What.SELECTORS_REFUSED, What.NARROWED)
_TWO_PAIRS = 4


def _selectors(named: Named, what: What, asked_of_me: bool = False) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(mine, theirs), each as (writer's side, peer's side) where the line names pairs. Who refuses what it is asked is the responder: of a
    pair with the initiator first, the second one is its own."""
    ranges = named.ranges
    if not ranges:
        return (), ()
    if what in _OF_TWO_PAIRS:
        if len(ranges) >= 4:
            held = ranges[2:4]
            return (held[::-1] if asked_of_me else held), ranges[:2]
        return (), ranges[:2]
    # A Child SA may carry less than was wanted: what is named after its own ranges is that.
    return ranges[:2], ranges[2:4] if what is What.CHILD_UP else ()


def _mode(text: str) -> str | None:
    if " aggressive" in text:
        return "aggressive"
    return "main" if " main mode" in text or " id prot" in text or " mode main" in text else None


def spis_of(line: str, what: What) -> tuple[str, ...]:
    """SPIs of a Child SA that a line names, where it tells of one."""
    if what not in (What.CHILD_UP, What.CHILD_DOWN, What.DELETED_BY_PEER):
        return ()
    plain = "spi" in line.lower()
    # Eight digits alone may be any number; beside a slash they are the other one of a pair.
    found = (
        m
        for m in _SPI.finditer(line)
        if plain or not m[1].isdecimal() or "/" in line[max(0, m.start() - 1) : m.end() + 1]
    )
    return tuple(dict.fromkeys(m[1].lower() for m in found))[:2]
