"""What an undenied line of a known negotiation tells by the kinds of its values, where its words are not known: two networks and two SPIs are a
Child SA, two cookies an IKE SA, algorithms together what was agreed on."""

from __future__ import annotations

import re

from stomion.logs.guess import NAME, denies
from stomion.logs.words import expression, pattern
from stomion.model.event import What
from stomion.model.proposal import Proposal
from stomion.vocabulary.addresses import Named
from stomion.vocabulary.algorithms import find_proposal

VERSION = re.compile(expression("{of a version}", after="(?: is| of)? ?([12])(?= )"))
STANDS = pattern("stands")
AWAITED = pattern("awaited")
_SPI = re.compile(r"(?<![0-9a-zA-Z.:-])(?:0x)?(?=[0-9a-f]*\d)[0-9a-f]{8}(?![0-9a-zA-Z:-]|\.\d)", re.IGNORECASE)
_COOKIE = re.compile(r"(?<![0-9a-zA-Z])(?:0x)?[0-9a-f]{16}(?![0-9a-zA-Z])", re.IGNORECASE)
_OFFERS = re.compile(
    r" (?:offer(?:s|ed)?|propose[sd]?) (?:encr?(?:yption)?|ciphers?|algorithms?|aes|3des|transforms?)(?= )"
)
_BEGINS = pattern("begins")
_CONFIGURED = pattern("settings")
_NO_GROUP = pattern("no group")
OF_GROUP = pattern("of a group")
_FIRST_MESSAGE = pattern("first message")
_ARROW_OUT, _ARROW_IN = (
    re.compile(r">>|=>|->|→|(?<=\s)>(?=\s+[A-Za-z])"),
    re.compile(r"<<|<=|<-|←|(?<=\s)<(?=\s+[A-Za-z])"),
)
_OF_STATES = re.compile(r"(?<![\w.])[A-Za-z][\w-]*[\])]? ?(?:->|=>|→) ?[\[(]?[A-Za-z][\w-]*(?![\w.:])")
"""An arrow between two words: from one state to another, and not from one end to the other."""
_BY_US = pattern("by us")
_BY_THEM = pattern("by them")
_PEER_ACTS = pattern("peer acts")
_COMES = re.compile(r" (?:by(?! (?:us|here|our|this|local|the local))|incoming|inbound|received|rcvd|reached)(?= )")
_LABEL = re.compile(r"(?:peer|remote|far|partner|other)[\w ]{0,12}[\"']?[=:][ \"']{0,2}\d", re.IGNORECASE)
_LABELLED = re.compile(r" (?:peer|remote|far|partner|other)(?: \w+)? (?=\d{1,3}(?:\.\d{1,3}){3} )")
_DONE_TO_US = pattern("done to us")
_SENT_FOR = pattern("sent for")
_OF_PROOF = pattern("proof")
_GOOD = pattern("good")
_MYSELF = pattern("ourselves")


def by_values(text: str, words: str, named: Named) -> What | None:
    """None where a line denies something, or where its kinds of values tell nothing. `words` is the line in plain words."""
    if denies(words) or are_names_apart(text, words):
        return None
    pair = len(set(named.ranges)) == len(("near", "far"))
    if len(set(_SPI.findall(text))) == len(("in", "out")):
        return What.CHILD_UP
    if len(set(_COOKIE.findall(text))) == len(("initiator", "responder")):
        return What.IKE_UP
    if _is_agreement(find_proposal(text, "IKE")):
        # What is offered is not agreed on yet.
        return What.PROPOSALS if _OFFERS.search(words) else What.AGREED
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


def _is_agreement(found: Proposal | None) -> bool:
    """Algorithms that belong together, one of each kind: several are a choice, or two ends' that differ."""
    if found is None or not found.encryption or not (found.integrity or found.group or found.prf):
        return False
    return not has_choice(found)


_CRYPTO = re.compile(r"aes|3des|chacha|camellia|hmac|sha.?[12]|modp|curve.?25519|\becp", re.IGNORECASE)


def names_a_suite(text: str) -> bool:
    """Does a line name a cipher with its hash or group, as only negotiations do?"""
    found = find_proposal(text, "IKE") if _CRYPTO.search(text) else None
    return found is not None and bool(found.encryption) and bool(found.integrity or found.group or found.prf)


def has_choice(found: Proposal) -> bool:
    """Has a proposal several algorithms of one kind?"""
    return any(len(set(found.values(kind))) > 1 for kind in ("encryption", "integrity", "group"))


def are_apart(text: str) -> bool:
    """Does a line name several algorithms of one kind?"""
    found = find_proposal(text, "IKE")
    return found is not None and has_choice(found)


def begins_by_a_word(words: str, what: What | None) -> bool:
    """Is a beginning told by a word alone, which may be the name of a negotiation as well: `attempt: finished well`?"""
    return what in (What.INITIATING, What.ASKED) and VERSION.search(words) is None and not is_first_message(words)


def begun(text: str, words: str) -> What:
    """A beginning, by either end."""
    return What.ASKED if comes_in(text, words) else What.INITIATING


def begins(words: str) -> bool:
    """Has a plain line a word of beginning?"""
    return _BEGINS.search(words) is not None and not _CONFIGURED.search(words)


def names_a_known(text: str, words: str) -> bool:
    """Does an undenied line say something good of a name?"""
    return (
        NAME.search(text) is not None
        and _GOOD.search(words) is not None
        and not (denies(words) or _MYSELF.search(words))
    )


def is_first_message(words: str) -> bool:
    """Does a plain line name the message that a negotiation begins with?"""
    return _FIRST_MESSAGE.search(words) is not None


def are_two_names(text: str) -> bool:
    """Two names of hosts or domains in one line."""
    return len(set(NAME.findall(text))) > 1


def are_names_apart(text: str, words: str) -> bool:
    """Two names in one line, one of which was awaited."""
    return are_two_names(text) and AWAITED.search(words) is not None


def has_arrow_in(text: str) -> bool:
    """Does an arrow show that it came from the other end?"""
    return _ARROW_IN.search(text) is not None and not _ARROW_OUT.search(text)


def comes_in(text: str, words: str) -> bool:
    """Did the other end begin?"""
    text = _OF_STATES.sub(" ", text)
    if _LABEL.search(text):
        # It names whom a line is of, and not who does something.
        words = _LABELLED.sub(" for ", words)
    if _ARROW_IN.search(text) or _ARROW_OUT.search(text):
        return _ARROW_IN.search(text) is not None
    if _PEER_ACTS.search(words) or _DONE_TO_US.search(words) or _SENT_FOR.search(words):
        return True
    by_them = _BY_THEM.search(words) is not None
    return by_them and (not _BY_US.search(words) or _COMES.search(words) is not None)


def lacks_group(words: str) -> bool:
    """Has one of two ends no group, and the other one has?"""
    others, missing = _NO_GROUP.subn(" ", words)
    return missing == 1 or (missing > 1 and OF_GROUP.search(others) is not None)
