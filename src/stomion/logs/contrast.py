"""Lines that set what the peer brought against what the writer holds, in whatever words: two values of one kind that differ tell the refusal."""

from __future__ import annotations

import re

from stomion.logs.lexicon import NOISE, STRONG, plain
from stomion.model.event import What
from stomion.vocabulary.addresses import read_addresses
from stomion.vocabulary.algorithms import find_proposal

_BROUGHT = re.compile(
    r" (?:wants?|wanted|says?|said|got|gets|sent|sends|offers?|offered|came|comes|has|had|speaks?|talks?|introduced|introduces|brings|brought|shows?|"
    r"showed|presents?|presented|uses?|proposes?|proposed|calls? itself|signs|signed|theirs|their|carries|carried|bears|bore|asked|asks|insists|introduces itself|from)(?= )"
)
_HELD = re.compile(
    r" (?:want|wants|wanted|expect(?:s|ed)?|due|awaited|demand(?:s|ed)?|requires?|required|should|must|insists?|entry|policy|booked|configured|ours|here|"
    r"pins?|profile|config|floor|minimum|at least|vs|versus|whereas|though|pinned|told|arranged|agreed|foreseen|instead|says|listed|in list|(?:is|are|was|were) for)(?= )"
)
_CLAUSE = re.compile(r"[,;] ")
_BOTH = re.compile(r" both(?= )| either(?= )|(?<! ts) match(?:es|ed)? | equal| agreed| ok(?= )| yes(?= )| accepted")
_VERSION = re.compile(r" (?:ike ?v?|major (?:version )?|version |generation )([12]|one|two)(?= )")
_MODE = re.compile(r" (main|aggressive)(?= )")
_ENCAPSULATION = re.compile(r" (transport|tunnel) (?:mode|encapsulation)(?= )")
_BY_SIGNATURE = re.compile(r" (?:signs|signed|signatures?|certificates?|certs?|rsa|ecdsa)(?= )")
_BY_KEY = re.compile(r" (?:shared (?:key|secret)|psk|pre ?shared)(?= )")
_OF_IDENTITY = re.compile(
    r" id(?:entity|s)?(?= )| fqdn| introduc\w+| calls? itself| names? itself| known as| identif\w+"
)
_NAME = re.compile(r"(?<![\w./@-])(?:[\w-]+@)?(?:[a-z0-9-]+\.)+[a-z]{2,}(?![\w-])", re.IGNORECASE)
_OF_RANGES = re.compile(r" tsi?r? | ts match| nets?(?= )| networks?| selectors?| subnets?| domains?")
_DENIED = re.compile(
    r" no(?= )| not | vs | versus | outside | differ\w*| mismatch\w*| refus\w*| reject\w*| denied| declin\w*| turned"
)


def contrast_of(line: str) -> What | None:
    """What is refused by a line whose words say nothing of a refusal; None where it sets nothing against anything."""
    text = plain(line)
    if _may_deny_pairs(line, text) and are_two_pairs(read_addresses(line).ranges):
        return What.SELECTORS_REFUSED
    if not _may_contrast(text):
        return None
    held = list(_HELD.finditer(text))
    if NOISE.search(text) and not STRONG.search(text):
        return None
    if len(set(_VERSION.findall(text))) > 1:
        return What.VERSION_REFUSED
    if len(set(_MODE.findall(text))) > 1:
        return What.MODE_REFUSED
    if len(set(_ENCAPSULATION.findall(text))) > 1:
        return What.ENCAPSULATION_REFUSED
    if _BY_SIGNATURE.search(text) and _BY_KEY.search(text):
        return What.METHOD_REFUSED
    if _OF_IDENTITY.search(text) and len(set(_NAME.findall(line))) > 1:
        return What.IDENTITY_REFUSED
    if _OF_RANGES.search(text) and _DENIED.search(text) and len(set(read_addresses(line).ranges)) > 1:
        return What.SELECTORS_REFUSED
    # The word for what is held stands before its value, or after it in a clause of its own.
    parts = [(text[: m.start()], text[m.end() :]) for m in held]
    parts += [
        (line[: m.start()], line[m.end() :]) for m in _CLAUSE.finditer(line) if _HELD.search(plain(line[m.end() :]))
    ]
    return What.PROPOSAL_REFUSED if any(_differ(*part) for part in parts) else None


def sets_names_apart(line: str) -> bool:
    """Does a line set a domain's name that came against another one that is held?"""
    return _may_contrast(plain(line)) and len(set(_NAME.findall(line))) > 1


def may_contrast(line: str) -> bool:
    """Do a line's words set values against each other, whatever these are?"""
    text = plain(line)
    return _may_contrast(text) or _may_deny_pairs(line, text)


_FOUR_NETWORKS = 12
"""Dots in the shortest line that names four of them."""


def _may_deny_pairs(line: str, text: str) -> bool:
    return line.count(".") >= _FOUR_NETWORKS and _DENIED.search(text) is not None


def are_two_pairs(ranges: tuple[str, ...]) -> bool:
    """Two pairs of networks that are not the same: what was asked for, and what is held."""
    return len(ranges) == len(("near", "far")) * 2 and set(ranges[:2]) != set(ranges[2:])


def _may_contrast(text: str) -> bool:
    return (
        _HELD.search(text) is not None
        and (_BROUGHT.search(text) is not None or " vs " in text)
        and not _BOTH.search(text)
    )


def _differ(first: str, second: str) -> bool:
    """Do two stretches name algorithms of one kind, and none in common?"""
    one, other = find_proposal(first, "IKE"), find_proposal(second, "IKE")
    if one is None or other is None:
        return False
    kinds = [k for k in ("encryption", "integrity", "group") if one.values(k) and other.values(k)]
    return any(not set(one.values(k)) & set(other.values(k)) for k in kinds)
