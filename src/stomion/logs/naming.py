"""Whom a line speaks of: names of tunnels and connections, the writer's numbers of SAs, and identities. Names may be any word, so they are
taken away before a line's words are looked at."""

from __future__ import annotations

import re
from dataclasses import dataclass

_TAG = re.compile(r"\[[A-Za-z]{2,8}\]|\b\d\d\[[A-Z]{3}\]")

_ANGLE = re.compile(r"<([^<>|]*)(?:\|(\d+))?>")

_NAME_NUMBER = re.compile(r"(\"[^\"]{1,64}\"|[\w.@+-]{1,64})\s?(?:#(\d+)\b|\[(\d{1,9})\](?!\S*\.\.\.)|\{(\d{1,9})\})")

_BRACKETED = re.compile(r"(?:^|\s)\[(\d{1,9})\]\s")
"""A number of its own in brackets: the negotiation's, as a process number would hang on its program's name."""

_KEYED_NAME = re.compile(
    r"\b(?:conn(?:ection)?|tunnel|link|vpn|name|profile|policy|site.?link|unit|host|user|rule|dev|device|gw)=\"?([\w.@+ -]{1,64}?)(?:\"|(?=\s\w+=)|$|[,;])",
    re.IGNORECASE,
)

_SAID_NAME = re.compile(
    r"(?<![\w-])(?:site link|connection|tunnel|conn|profile|policy|vpn|link)s? [\"'“]?([\w.@+-]{1,64}?)[\"'”]?(?=,? (?:to|has|is|was|with|from|will|could|did|at|for|on)\b| \(|[.,;:]? |[.]?$)",
    re.IGNORECASE,
)

_NOT_A_NAME = re.compile(
    r"^(?:\w{3,}(?:ed|ing)|says?|said|demands?|takes?|had|speaks?|sees?|saw|refused|reset|closed|lost|timed|error|uses|owns|knows|covers|matches|this|any|to|has|is|was|with|from|will|could|the|a|an|of|mode|up|down|established|failed|service|request|closed|sa|found|for|and|proposals?|negotiation|tunnel|id|add|on|at|between|lifetime|status|not|no|gateway|cannot|s|state|has|are|entry|parameters|setup|start\w*|end\w*|open\w*|with|configured|known|defined|exists|expects?|permitted|allowed|here|carr(?:y|ies)|works?|passes|protects?|joins?|encapsulation|read|loaded|waits?|provisioned|registered|named|leads|in|by|via|through|into|onto|over|under|after|before|because|since|until|while"
    r"|when|if|that|which|who|its|our|their|your|or|but|so|then|now|still|already|again|be|been|being|were|do|does|did|must|may|can|should"
    r"|would|went|goes|comes|came|gets?|got|sets?|settings?|name|number|type|group|peer|remote|local|count|table|list|event|monitor|as|it)$",
    re.IGNORECASE,
)

_QUOTED_ID = re.compile(r"'[^']{1,128}'")

_IDENTITY = re.compile(
    r"(?<![\w./@-])@?((?:[\w-]+@)?(?:[a-z0-9-]+\.)+[a-z]{2,}(?:\.[a-z]{2,})?)(?![\w-]|:\d+\s)", re.IGNORECASE
)

_TOP = re.compile(r"\.(?:example|com|net|org|local|lan|test|int|edu|gov|internal|home|corp|site)$", re.IGNORECASE)
"""What a name of two parts has to end in to be a host's: `neg.fail` is a word of a log."""

_EVENT_KEY = re.compile(r"\b(?:ev|event|type|action|kind)\"?\s?[:=]\s?\"?$", re.IGNORECASE)

_PROGRAM_SERIAL = re.compile(r"state_\w+|v2_parent_\w+", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Naming:
    """What identifies the tunnel or SA a line belongs to: a connection's name and the writer's own SA number."""

    conn: str | None
    sa: str | None


_COUNTED = re.compile(
    r"re?tx|retry|retransmi\w+|try|attempt|shot|packet|message|msg|no|nr|step|stage|phase|round|payload|proposal|transform|offer",
    re.IGNORECASE,
)
"""What is counted with a number sign and is no connection."""


def naming_of(line: str) -> Naming:
    """The connection and the SA that a line names, each None where it does not."""
    angle = _ANGLE.search(line) if "<" in line else None
    if angle and (angle[2] or angle[1].isdecimal()):
        return Naming(angle[1] if angle[2] else None, angle[2] or angle[1])
    bracketed = _BRACKETED.search(line)
    if bracketed:
        return Naming(None, bracketed[1])
    number = _NAME_NUMBER.search(line)
    if number and (number[1].startswith('"') or (number[2] and not _COUNTED.fullmatch(number[1]))):
        name = number[1].strip('"')
        return Naming(None if name.isdecimal() else name, number[2] or number[3] or number[4])
    for keyed in _KEYED_NAME.finditer(line) if "=" in line else ():
        if keyed[0].lower().startswith(("conn", "tunnel", "link", "vpn", "name", "site", "profile", "policy")):
            return Naming(keyed[1], None)
    for said in _SAID_NAME.finditer(line):
        if not _NOT_A_NAME.match(said[1]) and not said[1].isdecimal():
            return Naming(said[1], None)
    return Naming(None, None)


def without_names(line: str) -> str:
    """A line without the names of connections, hosts and identities: these may be any word, and count as none of the vocabulary."""
    line = _TAG.sub(" ", line)
    line = _ANGLE.sub(" ", line)
    line = _NAME_NUMBER.sub(" ", line)
    line = _KEYED_NAME.sub(" ", line)
    line = _SAID_NAME.sub(lambda m: m[0] if _NOT_A_NAME.match(m[1]) else m[0].replace(m[1], ""), line)
    line = _IDENTITY.sub(_kept_of_identity, line)
    return _PROGRAM_SERIAL.sub(" ", _QUOTED_ID.sub(_kept_of_quoted, line))


_EVENT_NAME = re.compile(
    r"(?:ike|ipsec|isakmp|vpn|sa|child|esp|neg|phase\d?|p[12]|tunnel|session|sec|kmd|key)(?:v[12])?\.(?:[\w-]+\.)*"
    r"(?:session|init|auth|child|create|fail(?:ed|ure)?|ok|timeout|peer|dead|up|down|sa|neg\w*|start|done|reject\w*|established|deleted?|rekey|quick|main)"
    r"(?:\.|$)",
    re.IGNORECASE,
)
"""How the name of an event looks that is written like a host's: `ike.session.auth.fail`."""

_WORDS = re.compile(r"'[^'=@]*\w [^'=@]*'")


def _kept_of_quoted(m: re.Match[str]) -> str:
    """What is quoted is a name, unless it is a sentence: no name of a certificate is without `=`."""
    return m[0] if _WORDS.fullmatch(m[0]) else " "


_PROGRAMS_OWN = re.compile(rf"{_EVENT_NAME.pattern}|(?:[a-z]\.){{2}}", re.IGNORECASE)
"""Names of events and of parts of a program (`c.e.v.Negotiator`): nobody's identity."""


def _kept_of_identity(m: re.Match[str]) -> str:
    name = m[1]
    if name.count(".") > 1 and _EVENT_NAME.match(name) and not _TOP.search(name):
        return m[0].replace(".", " ")
    return " " if name.count(".") > 1 or "@" in name or _TOP.search(name) else m[0]


def identities_of(line: str, conn: str | None) -> tuple[str, ...]:
    """Names with dots that stand for a peer: neither the name of an event (`"ev":"neg.fail"`) nor the connection's own."""
    found = (
        m[1]
        for m in _IDENTITY.finditer(line)
        if not _PROGRAMS_OWN.match(m[1]) and not _EVENT_KEY.search(line[max(0, m.start() - 16) : m.start()])
    )
    return tuple(dict.fromkeys(name for name in found if name != conn))[:4]
