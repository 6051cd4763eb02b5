"""The words that makes have for a state, to one vocabulary."""

from __future__ import annotations

import re

from stomion.model.sa import SaState

_WORDS: tuple[tuple[SaState, str], ...] = (
    (SaState.DOWN, r"not (?:yet )?(?:up|established|connected|active)|no sa\b|\bun(?:established|connected|available)|inactive|shut down"),
    (SaState.CLOSING, r"clos(?!ed\b)\w*|delet\w*|del\b|replaced|superseded|dying|expir\w*|old\b|retir\w*|draining|being removed|removing|"
     r"terminating|teardown|tear(?:ing)? down|ending|leaving|phas(?:ed|ing) out|ag(?:ed|ing) out|obsolete|going (?:down|away)|withdrawing"),
    (SaState.REKEYING, r"re-?key\w*|rkey|renew\w*|re-?negotiat\w*|refresh\w*|re-?auth\w*|changing keys?|key change|swapping keys?"),
    (SaState.NEGOTIATING, r"nego\w*|\bneg\b|connecting|start\w*|init\w*|larval|trying|handshak\w*|in progress|pending|building|opening|"
     r"coming up|half[- ]?open|mm_\w*|am_\w*|phase ?1 only|establishing|diall?ing|calling|forming|sett?ing up|set-?up|bringing up|"
     r"retry\w*|attempt\w*|wait\w* for (?:peer|answer|response|reply)"),
    (SaState.IDLE, r"idle|standby|dormant|on[- ]?demand|trap\w*|routed|wait\w*|armed|ready for traffic|listen\w*|no traffic|"
     r"quiet|asleep|sleep\w*|parked|resting|unused|on hold"),
    (SaState.DOWN, r"down|closed|fail\w*|dead|error|terminated|lost|off\b|offline|disconnected|broken|stopped|disabled|timed? ?out|"
     r"unreachable|rejected|refused|none\b|dn\b|stop|gone\b|absent|cleared|dropped|ended|aborted"),
    (SaState.UP, r"up\b|establish\w*|active|installed|mature|ready|open\b|connected|running|alive|ok\b|est(?:ab)?\b|"
     r"online|secured?|working|act\b|on\b|live|healthy|steady|good\b|stand(?:s|ing)\b|carrying|passing|valid\b|in use"),
)  # fmt: skip
_COMPILED = tuple((state, re.compile(rf"\b(?:{words})", re.IGNORECASE)) for state, words in _WORDS)


def state_of(words: str) -> SaState | None:
    """The state that a source's own words mean; None where they are not known."""
    phase = re.fullmatch(r"(?:qm|quick mode|phase ?2)[\W_]*(\w+)", words.strip(), re.IGNORECASE)
    if phase and state_of(phase[1]) is SaState.IDLE:
        # The standard's second phase at rest: it stands.
        return SaState.UP
    return next((state for state, shape in _COMPILED if shape.search(words)), None)
