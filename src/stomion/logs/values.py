"""What an undenied line of a known negotiation tells by the kinds of its values, where its words are not known: two networks and two SPIs are a
Child SA, two cookies an IKE SA, algorithms together what was agreed on."""

from __future__ import annotations

import re

from stomion.logs.guess import NAME, denies
from stomion.model.event import What
from stomion.vocabulary.addresses import Named
from stomion.vocabulary.algorithms import find_proposal

VERSION = re.compile(r" (?:v|ver|version|gen|generation|ikev?|edition|release|level|major)(?: is| of)? ?([12])(?= )")
STANDS = re.compile(
    r" (?:up|open(?:ed)?|ready|established|sealed?|under seal|complete[d]?|in force|in service|in place|running|active|secured?|stands|steady|built|made|formed|live|on air|joined|"
    r"through|online|in use|good to go|operational)(?= )"
)
AWAITED = re.compile(
    r" (?:required?s?|wanted|wants|expect(?:s|ed)|awaited|needed|demand(?:s|ed)?|due|must|should|instead|not|but|only|configured|foreseen|other than|insists?|ours|local|rule|announced)(?= )"
)
_SPI = re.compile(r"(?<![0-9a-zA-Z.:-])(?:0x)?(?=[0-9a-f]*\d)[0-9a-f]{8}(?![0-9a-zA-Z:-]|\.\d)", re.IGNORECASE)
_COOKIE = re.compile(r"(?<![0-9a-zA-Z])(?:0x)?[0-9a-f]{16}(?![0-9a-zA-Z])", re.IGNORECASE)
_BEGINS = re.compile(
    r" (?:open(?:s|ed|ing)?|connect(?:s|ed|ing)?|ring(?:s|ing)?|rang|call(?:s|ed|ing)?|dial\w*|begun|beg[ai]ns?|beginning|start(?:s|ed|ing)?|contact\w*|knock\w*|"
    r"approach\w*|greet\w*|hail\w*|reach(?:es|ed|ing)?|invit\w*|initiat\w*|launch\w*|hello|arriv\w*|turn(?:s|ed) up|attempt\w*|neg|negotiat\w*|sent out|set out|received)(?= )"
)
_CONFIGURED = re.compile(r" (?:config\w*|loaded|provision\w*|registered|settings?)(?= )")
_ARROW_OUT, _ARROW_IN = re.compile(r">>|=>|->|→"), re.compile(r"<<|<=|<-|←")
_BY_US = re.compile(r" (?:from here|we|outgoing|outbound|tx|out|sent)(?= )")
_BY_THEM = re.compile(
    r" (?:in|incoming|inbound|rx|recv|from|by|them|they|their|it|us|ring(?:s|ing)?|rang|answer|received|arriv\w*|knock\w*|accepting|being|peer speaks|comes?|came|turns? up)(?= )"
    r"|(?<! to)(?<! with)(?<! for)(?<! from)(?<! of) (?:peer|remote|far|partner|other)(?: \S+){0,3} (?:is |has |was )?(?:open|connect|ring|rang|call|dial|beg|start|contact|knock|approach|reach)\w*(?= )"
)
_OF_PROOF = re.compile(
    r" (?:pro(?:of|ve[dns]?)|papers?|credentials?|auth\w*|ident\w*|certif\w+|signatures?|signed|seals?|verif\w+|vouch\w*|genuine|recogni[sz]\w*|trust\w*|confirmed|id)(?= )"
)
_GOOD = re.compile(
    r" (?:ok|okay|pass(?:ed|es)?|good|prove[dns]?|in order|checks? out|valid|genuine|verified|confirmed|accepted|recogni\w+|trusted|correct|right|match(?:es|ed)?|fine|sound|satisfied|"
    r"true|yes|success\w*|succeed\w*)(?= )"
)
_MYSELF = re.compile(r" (?:myself|ourselves|our own)(?= )")


def by_values(text: str, words: str, named: Named) -> What | None:
    """None where a line denies something, or where its kinds of values tell nothing. `words` is the line in plain words."""
    if denies(words) or are_names_apart(text, words):
        return None
    pair = len(set(named.ranges)) == len(("near", "far"))
    if len(set(_SPI.findall(text))) == len(("in", "out")):
        return What.CHILD_UP
    if len(set(_COOKIE.findall(text))) == len(("initiator", "responder")):
        return What.IKE_UP
    found = find_proposal(text, "IKE")
    if found is not None and found.encryption and (found.integrity or found.group or found.prf):
        return What.AGREED
    if pair and STANDS.search(words):
        return What.CHILD_UP
    if (
        named.endpoints
        and not pair
        and (VERSION.search(words) or _BEGINS.search(words))
        and not _CONFIGURED.search(words)
    ):
        return begun(text, words)
    if _OF_PROOF.search(words) and not _MYSELF.search(words) and _GOOD.search(words) and NAME.search(text):
        return What.AUTH_OK
    return None


def begun(text: str, words: str) -> What:
    """A beginning, by either end."""
    return What.ASKED if _comes_in(text, words) else What.INITIATING


def begins(words: str) -> bool:
    """Has a plain line a word of beginning?"""
    return _BEGINS.search(words) is not None and not _CONFIGURED.search(words)


def are_names_apart(text: str, words: str) -> bool:
    """Two names in one line, one of which was awaited."""
    return len(set(NAME.findall(text))) > 1 and AWAITED.search(words) is not None


def _comes_in(text: str, words: str) -> bool:
    """Did the other end begin?"""
    if _ARROW_IN.search(text) or _ARROW_OUT.search(text):
        return _ARROW_IN.search(text) is not None
    by_them = _BY_THEM.search(words) is not None
    return by_them and (
        not _BY_US.search(words) or re.search(r" (?:by|incoming|inbound|received|reached)(?= )", words) is not None
    )
