"""Lines whose words are not known to refuse anything, and that stand where a refusal must: at the end of an attempt that came to nothing.

What such a line speaks of tells what was refused, its tone and place that something was. An event of this kind is `guessed`: it is possible at
most, and gives way to whatever is understood.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from functools import lru_cache

from msgspec.structs import replace

from stomion.logs import lexicon as lex
from stomion.logs.classify import REFUSALS, is_harmless
from stomion.logs.words import pattern
from stomion.model.event import Event, What

KEPT = 64
"""Lines of one attempt that are kept, the last ones."""
_BEGUN = (What.INITIATING, What.ASKED)
_WEAK = (What.INITIATING, What.ASKED, What.IKE_DOWN, What.CHILD_DOWN, What.CONFIGURED)
"""Events that a line with a refusal in it is easily taken for."""
_REASONS = REFUSALS - {What.AUTH_REFUSED, What.PROPOSAL_REFUSED}
"""After one of these nothing is to be guessed."""
_GRAVE = re.compile(
    r"\b(?:error|err|fatal|crit(?:ical)?|alert|emerg\w*|problem|severe|major|failure)\b[\"\]:>|,\s]|\b(?:lvl|level|sev(?:erity)?|prio(?:rity)?)[=:\s\"]{1,3}[0-3]\b"
)
"""A line's own word for how grave it is."""
_PRIORITY = re.compile(r"<(\d{1,3})>")
_WARNING = 4
"""Severity from which on a message warns of something (RFC 5424 section 6.2.1)."""
_DENIES = pattern("denies", before="[ \"'_=-]", after="(?=[ .,:;\"'_=-])")
_ENDS = pattern("over")
_ENDS_WELL = pattern("ends well")
_BROKEN_OFF = pattern("broken off")
_AGREED = pattern("agreed")
NAME = re.compile(r"(?<![\w./@*-])(?:\*\.|[\w-]+@)?(?:[a-z][a-z0-9-]*\.){2,}[a-z]{2,}(?![\w-])", re.IGNORECASE)
_FAR = pattern("far refuses")
_NEAR = pattern("near refuses")


@dataclass(frozen=True, slots=True)
class _Topic:
    what: What
    words: re.Pattern[str]
    child: bool | None = None
    """True for what only a child's negotiation speaks of, False for what only the IKE SA's does."""


def _topic(what: What, words: str, *, child: bool | None = None) -> _Topic:
    return _Topic(what, re.compile(rf" (?:{words})(?= )"), child)


_TOPICS = (
    _topic(
        What.VERSION_REFUSED,
        r"ike ?v?(?:ersion )?1 .* (?:ike ?v?(?:ersion )?|v|version )2|ike ?v?(?:ersion )?2 .* (?:ike ?v?(?:ersion )?|v|version )1",
        child=False,
    ),
    _topic(
        What.MODE_REFUSED,
        r"(?:insist\w*|uses?|asks?|asked|wants?|wanted|com(?:es|ing)|came|beg[aiu]n\w*|tries|tried)(?: \S+){0,8} (?:main|aggressive)"
        r"|(?:main|aggressive)(?: mode)? (?:\S+ ){0,2}(?:not|only|barred|is|which|off|switched)",
        child=False,
    ),
    _topic(What.CERTIFICATE_REFUSED, r"certificates?|certs?|ca|issuer|chain|crl|x ?509", child=False),
    _topic(
        What.KEY_REFUSED,
        r"(?:pre ?)?shared (?:key|secret|\w+)|psk|secrets?|passphrase|password|proof|hash i|hash r|knowledge of",
        child=False,
    ),
    _topic(
        What.NO_PEER,
        r"(?:holds?|has|have|knows?|lists?|names?) (?:\S+ ){0,2}(?:partner|peer|gateway)(?: \S+){0,2} (?:at|with|for|of) (?:this|that|the) (?:address|source)"
        r"|no (?:profile|policy|entry|tunnel|connection) (?:answers|belongs|leads|fits) (?:to )?(?:\d\S+|this|that|it)|(?:this|that) (?:source|address|caller|stranger)",
        child=False,
    ),
    _topic(
        What.IDENTITY_REFUSED,
        r"ident\w+|fqdn|dn|who (?:we|it|he|they) (?:are|is)|seeks?|sought|claims?|calls itself|introduc\w+|(?:under|by) the name(?: of)?|its name|names? itself",
        child=False,
    ),
    _topic(
        What.VERSION_REFUSED,
        r"(?:(?:protocol|ike) )?(?:version|generation|protocol)(?: \S+){0,3} (?:not|wrong|provisioned|supported|allowed|spoken)",
        child=False,
    ),
    _topic(What.PFS_REFUSED, r"pfs|perfect forward \w+|forward secrecy", child=True),
    _topic(
        What.SELECTORS_REFUSED,
        r"selectors?|sub ?nets?|networks?|nets?|ts[ir]?|ranges?|prefix(?:es)?|lans?|not acceptable|unacceptable",
        child=True,
    ),
    _topic(
        What.PROPOSAL_REFUSED,
        r"proposals?|suites?|ciphers?|transforms?|algorithms?|encryption|crypto\w*|no \w+ chosen|allowed|group \d+|dh",
    ),
    _topic(What.AUTH_REFUSED, r"auth\w*|(?:reason|cause|notif\w*|error|notice) \w+ failed", child=False),
)
"""What a line speaks of, the most telling first."""


@dataclass(slots=True)
class _Attempt:
    """What is known of the attempts with one peer since something stood last."""

    begun: int = 0
    agreed: bool = False
    ike_up: bool = False
    stood: bool = False
    """Was anything ever seen to stand?"""
    told: bool = False
    """Was a reason understood since the last attempt began?"""
    last: int = 0
    """How many events there were when the last attempt began."""
    lines: list[tuple[int, Event, bool, bool]] = field(default_factory=list)
    """(how many events came before, what it would be, is it grave, has it a topic?)."""
    said: dict[str, int] = field(default_factory=dict)
    """How many lines may refuse each thing."""


@dataclass(slots=True)
class Guesses:
    """Goes along with a log that is read, and at its end has the events that may be guessed."""

    _attempts: dict[str, _Attempt] = field(default_factory=dict)

    def event(self, event: Event, place: int) -> None:
        """Something that was understood; `place` is how many events came before."""
        if event.peer is None:
            return
        state = self._attempts.get(event.peer)
        if state is None:
            state = self._attempts[event.peer] = _Attempt()
        if event.what in _BEGUN and event.layer == "child":
            state.told = False
        elif event.what in _BEGUN:
            state.begun += 1
            state.ike_up = state.agreed = state.told = False
            state.last = place
        elif event.what in (What.AGREED, What.NAT_FLOAT):
            state.agreed = True
        elif event.what is What.AUTH_OK:
            state.lines = [row for row in state.lines if row[1].layer != "ike"]
        elif event.what is What.CHILD_UP:
            self._attempts[event.peer] = _Attempt(ike_up=True, stood=True)
        elif event.what is What.IKE_UP:
            self._attempts[event.peer] = _Attempt(begun=1, ike_up=True, stood=True)
        elif event.what in _REASONS or (event.what is What.PROPOSAL_REFUSED and not event.far and not event.bare):
            state.told = True

    def line(self, place: int, stub: Event, grave: bool, topic: bool) -> None:
        """A line of which nothing, or something too weak, was understood; `stub` has what it names, `place` is how many events came before."""
        if stub.peer is None:
            return
        state = self._attempts.setdefault(stub.peer, _Attempt())
        state.lines.append((place, stub, grave, topic))
        key = stub.what.value
        state.said[key] = state.said.get(key, 0) + 1
        if len(state.lines) > KEPT:
            del state.lines[: -KEPT // 2]

    def made(self) -> list[tuple[int, Event]]:
        """(how many events come before it, the event) of every peer's last attempt that came to nothing, in their order."""
        found = []
        for state in self._attempts.values():
            best = None if state.told else self._best(state)
            if best is not None:
                found.append(best)
        return sorted(found, key=lambda row: row[0])

    def _best(self, state: _Attempt) -> tuple[int, Event] | None:
        if state.stood and not state.begun:
            # A tunnel that stands is not refused by a line that only sounds grave.
            return None
        tried = state.begun > 0
        rows = [
            (place, stub)
            for place, stub, grave, topic in state.lines
            if (grave and (tried or (topic and not state.stood)))
            or (not tried and topic and not state.stood and state.said[stub.what.value] > 1)
            or (state.begun > 1 and state.said[stub.what.value] > 1)
            or (tried and place >= state.last and not state.ike_up and stub.what not in _VAGUE)
        ]
        if state.ike_up:
            rows = [(p, s) for p, s in rows if s.layer != "ike"]
        best = max(rows, key=lambda row: (row[1].what not in _VAGUE, row[0]), default=None)
        if best is not None and best[1].what is What.PROPOSAL_REFUSED and state.agreed and not state.ike_up:
            # What was agreed on is not refused any more: the next thing is to prove who one is.
            return best[0], replace(best[1], what=What.AUTH_REFUSED)
        return best


_VAGUE = (What.PROPOSAL_REFUSED, What.AUTH_REFUSED)
_NAMES = _Topic(What.IDENTITY_REFUSED, re.compile(""), child=False)


@dataclass(frozen=True, slots=True)
class Hint:
    """What a line may refuse, the layer it is of, and whether the other end did it. `refuses`: a known word says that something is refused."""

    what: What
    layer: str | None
    far: bool
    refuses: bool
    topic: bool = True
    """Does it speak of anything that can be refused?"""
    denies: bool = True
    """Has it a word that denies anything?"""


_MARKS = ("broken", "turned", "refus", "reject", "denie", "declin", "fail", "away", "down", "off")
"""One of these stands in whatever a weak event's line may refuse: plain words are looked for many times faster than patterns."""


def is_strong(event: Event) -> bool:
    """Is a line's meaning one that no refusal is taken for?"""
    return event.what not in _WEAK


def may_refuse(low: str, event: Event | None = None) -> bool:
    """Has a line, in lower case, any word that denies something, or that says that it tells of something grave? `event` is what was
    understood of it."""
    if event is not None and (is_strong(event) or not any(mark in low for mark in _MARKS)):
        return False
    return _DENIES.search(f" {low} ") is not None or is_grave(low)


def turns_away(words: str) -> bool:
    """Has a plain line a word that denies something, and none of an end or of silence alone?"""
    return _denied(words) and not is_harmless(words)


def denies(words: str) -> bool:
    """Has a plain line a word that denies anything, or tells of an end? What ends well is not denied."""
    return _denied(words) or (_ENDS.search(words) is not None and not _ENDS_WELL.search(words))


_SOFT = pattern("denies softly", before="")
"""Words that deny something only where nothing in the line says that it went well."""
_WELL = pattern("went well")


def _denied(words: str) -> bool:
    found = [m[0][1:] for m in _DENIES.finditer(words)]
    return bool(found) and not (all(map(_SOFT.match, found)) and _WELL.search(words))


@lru_cache(4_096)
def hint_of(text: str) -> Hint | None:
    """A line without its time and with its numbers made alike, or the last lines of a record; None where it tells of no refusal, whatever its
    words mean."""
    words = lex.plain(text)
    if is_harmless(words) or (lex.NOISE.search(words) and not lex.STRONG.search(words)):
        return None
    ideas = lex.ideas_of(words)
    refuses = bool(ideas & {"refusal", "turned away"}) or _BROKEN_OFF.search(words) is not None
    if "silence" in ideas or (not refuses and ("up" in ideas or _AGREED.search(words))):
        return None
    topic = next((t for t in _TOPICS if t.words.search(words)), None)
    if (topic is None or topic.what in _VAGUE) and len(set(NAME.findall(text))) > 1:
        # Two names in one line that denies something: one came, and the other was awaited.
        topic = _NAMES
    if topic is not None and topic.what is What.PROPOSAL_REFUSED and _AGREED.search(words):
        topic = None
    role = lex.role_of(words)
    far = _FAR.search(words) is not None or role == "initiator"
    near = _NEAR.search(words) is not None or role == "responder"
    if topic is None:
        return Hint(What.PROPOSAL_REFUSED, None, far and not near, True, False) if refuses and (far or near) else None
    layer = None if topic.child is None else "child" if topic.child else "ike"
    return Hint(topic.what, layer, far and not near, refuses, denies=_DENIES.search(words) is not None)


def is_grave(low: str) -> bool:
    """Does a line, in lower case, say itself that it tells of something grave?"""
    priority = _PRIORITY.match(low)
    if priority is not None:
        return int(priority[1]) % 8 <= _WARNING
    return _GRAVE.search(low) is not None


def guessed(hint: Hint, event: Event) -> Event:
    """The event that a line may be; `event` has what it names."""
    return replace(event, what=hint.what, far=hint.far, bare=False, layer=hint.layer or event.layer, guessed=True)
