"""The words that makes have for a state, to one vocabulary."""

from __future__ import annotations

import re

from stomion.model.sa import SaState
from stomion.vocabulary.wordlists import word_sets

_SETS = word_sets("stomion.listings")
_ORDER = (
    ("not up", SaState.DOWN),
    ("closing", SaState.CLOSING),
    ("rekeying", SaState.REKEYING),
    ("negotiating", SaState.NEGOTIATING),
    ("idle", SaState.IDLE),
    ("down", SaState.DOWN),
    ("up", SaState.UP),
)
"""The set that is asked first decides. A row is a regular expression from the beginning of a word."""
_COMPILED = tuple(
    (state, re.compile(rf"\b(?:{'|'.join(_SETS[f'state {name}'].rows)})", re.IGNORECASE)) for name, state in _ORDER
)


def state_of(words: str) -> SaState | None:
    """The state that a source's own words mean; None where they are not known."""
    phase = re.fullmatch(r"(?:qm|quick mode|phase ?2)[\W_]*(\w+)", words.strip(), re.IGNORECASE)
    if phase and state_of(phase[1]) is SaState.IDLE:
        # The standard's second phase at rest: it stands.
        return SaState.UP
    return next((state for state, shape in _COMPILED if shape.search(words)), None)
