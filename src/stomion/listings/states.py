"""The words that makes have for a state, to one vocabulary."""

from __future__ import annotations

import re

from stomion.model.sa import SaState

_WORDS: tuple[tuple[SaState, str], ...] = (
    (SaState.DOWN, r"not (?:yet )?(?:up|established|connected|active)|no sa\b|\bun(?:established|connected)|inactive"),
    (SaState.CLOSING, r"clos(?!ed\b)\w*|delet\w*|replaced|superseded|dying|expir\w*|old\b|retir\w*|draining|being removed|"
     r"terminating|teardown"),
    (SaState.REKEYING, r"re-?key\w*|rkey|renew\w*|re-?negotiat\w*|refresh\w*|re-?auth\w*"),
    (SaState.NEGOTIATING, r"nego\w*|\bneg\b|connecting|start\w*|init\w*|larval|trying|handshak\w*|in progress|pending|building|opening|"
     r"coming up|half[- ]?open|mm_\w*|am_\w*|phase ?1 only|establishing|dialing|retry\w*|attempt\w*|wait\w* for (?:peer|answer|"
     r"response|reply)"),
    (SaState.IDLE, r"idle|standby|dormant|on[- ]?demand|trap\w*|routed|wait\w*|armed|ready for traffic|listen\w*|no traffic|"
     r"quiet|asleep|sleeping"),
    (SaState.DOWN, r"down|closed|fail\w*|dead|error|terminated|lost|off\b|disconnected|broken|stopped|disabled|timed? ?out|unreachable|"
     r"rejected|none\b|dn\b|stop"),
    (SaState.UP, r"up\b|establish\w*|active|installed|mature|ready|open\b|connected|running|alive|ok\b|est(?:ab)?\b|"
     r"online|secured?|working|act\b|on\b|live"),
)  # fmt: skip
_COMPILED = tuple((state, re.compile(rf"\b(?:{words})", re.IGNORECASE)) for state, words in _WORDS)


def state_of(words: str) -> SaState | None:
    """The state that a source's own words mean; None where they are not known."""
    phase = re.fullmatch(r"(?:qm|quick mode|phase ?2)[\W_]*(\w+)", words.strip(), re.IGNORECASE)
    if phase and state_of(phase[1]) is SaState.IDLE:
        # The standard's second phase at rest: it stands.
        return SaState.UP
    return next((state for state, shape in _COMPILED if shape.search(words)), None)
