"""What a record of several lines comes to: its last words judge it, in the light of the stage that the others tell."""

from __future__ import annotations

import re
from dataclasses import dataclass

from stomion.logs.classify import REFUSALS
from stomion.logs.understand import said_by
from stomion.model.event import What

LAST = 3
"""Lines at the end of a record among which its verdict stands."""
_CHILD = re.compile(
    r"\b(?:stage|phase|step)[\W_]?(?:two|2|second)\b|\bchild\b|\bquick\b|\bsecond (?:stage|phase)\b|\besp\b",
    re.IGNORECASE,
)
_REFUSED = re.compile(
    r"refus|reject|denied|unusable|turned down|not (?:taken|allowed|accepted)|released", re.IGNORECASE
)
_THERE = re.compile(r"\bthere\b|\bby (?:the )?far\b|\bfar end\b|\breceived\b|\bfrom (?:the )?far\b", re.IGNORECASE)
_HERE = re.compile(r"\bhere\b|\bby (?:the )?near\b|\bnear end\b|\bsent\b", re.IGNORECASE)
_OWN = re.compile(
    r"\bby[\W_]+(?:the )?(?:near end|this (?:gate|end|side|unit)|ourselves|us\b)|refused here", re.IGNORECASE
)
_WORDS: tuple[tuple[What, re.Pattern[str]], ...] = tuple(
    (what, re.compile(words, re.IGNORECASE))
    for what, words in (
        (
            What.IDENTITY_REFUSED,
            r"wrong name|name (?:\w+ )?not|name(?: \w+){0,4} is not the one|unknown name|wrong identity|not the name",
        ),
        (What.VERSION_REFUSED, r"wrong (?:generation|version)|(?:generation|version) not (?:allowed|supported|taken)"),
        (
            What.MODE_REFUSED,
            r"wrong (?:style|mode|exchange|form)|(?:style|mode|form) (?:is )?not (?:allowed|supported|taken)",
        ),
        (What.INSTALL_FAILED, r"entry not taken|not take the entry|could not be installed|not installed"),
        (
            What.KEY_REFUSED,
            r"wrong (?:key|secret)|(?:keys?|secrets?) (?:do not|does not|not) (?:match|agree)|(?:key|secret) differs",
        ),
    )
)


_SUITE = re.compile(
    r"\b(?:suite|ciphers?|cipher set|algorithms?|proposal|transforms?|terms|crypto)[\W_](?:is |was |were )?"
    r"(?:settled|chosen|agreed|fixed|picked|selected|struck|found)\b",
    re.IGNORECASE,
)
"""What is settled is what will be used, and nothing stands yet."""
_NUMBER = re.compile(
    r"\b(?:notice|notif\w*|cause|code|reason)\b[^0-9a-z]{0,8}(?:received|sent|value|number|is)?[^0-9a-z]{0,12}(0x[0-9a-f]{1,4}|\d{1,5})\b",
    re.IGNORECASE,
)
_NOTIFIES = {
    5: (What.VERSION_REFUSED, "INVALID_MAJOR_VERSION"), 14: (What.PROPOSAL_REFUSED, "NO_PROPOSAL_CHOSEN"),
    18: (What.SELECTORS_REFUSED, "INVALID_ID_INFORMATION"), 24: (What.AUTH_REFUSED, "AUTHENTICATION_FAILED"),
    38: (What.SELECTORS_REFUSED, "TS_UNACCEPTABLE"),
}  # fmt: skip
"""Notifies by their numbers (RFC 7296 3.10.1, RFC 2408 3.14.1), where a verdict gives the number alone."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """`far` is True where the other end judged, False for the writer itself; `bare` where that is not told."""

    what: What
    far: bool
    bare: bool
    layer: str
    notifies: tuple[str, ...] = ()


def verdict_of(lines: list[str]) -> Verdict | None:
    """By the last lines of a record; None where their words are not known."""
    whole = " ".join(lines).replace("_", " ")
    layer = "child" if _CHILD.search(whole) else "ike"
    # A reason in words of its own may stand anywhere in a record; other words judge it at its end alone.
    for number, line in enumerate(reversed(lines)):
        text = line.replace("_", " ")
        what = next((what for what, shape in _WORDS if shape.search(text)), None)
        if what is None and number < LAST:
            said = said_by(f"{layer} sa negotiation: {text}")
            what = said.what if said is not None else None
        if what is What.IKE_UP and _SUITE.search(text):
            what = What.AGREED
        if what is not None:
            there, here = _THERE.search(whole), _HERE.search(text)
            refused = what in REFUSALS
            far = bool(_THERE.search(text)) if refused else False
            if what is What.NO_PEER or _OWN.search(whole):
                # Who does not know the far end, or says that the near end released it, is the writer.
                far = far and what is not What.NO_PEER and not _OWN.search(whole)
                here = here or _OWN.search(whole)
            return Verdict(what, far, refused and not far and not here and bool(there is None), layer)
    return _by_number(lines, layer)


def _by_number(lines: list[str], layer: str) -> Verdict | None:
    """A notify by its number: received it is the other end's verdict, sent the writer's own."""
    for line in reversed(lines[-LAST:]):
        text = line.replace("_", " ")
        found = _NUMBER.search(text)
        known = _NOTIFIES.get(int(found[1], 16 if found[1][:2] == "0x" else 10)) if found else None
        if known is None:
            continue
        what, name = known
        if what is What.PROPOSAL_REFUSED and layer == "child":
            what = What.CHILD_PROPOSAL_REFUSED
        far, here = _THERE.search(text) is not None, _HERE.search(text) is not None
        return Verdict(what, far and not here, far is here, layer, (name,))
    return None


def is_refusal(lines: list[str]) -> bool:
    """Do the last lines tell of a refusal, whatever of?"""
    return any(_REFUSED.search(line.replace("_", " ")) for line in lines[-LAST:])
