"""Two tables or lists in one record, each under a heading that says whose it is: what both ends hold, set against each other."""

from __future__ import annotations

import re
from collections.abc import Sequence

from stomion.model.proposal import Proposal
from stomion.vocabulary.algorithms import find_proposal

_FAR = re.compile(
    r"\b(?:far|remote|peer(?:'?s)?|theirs?|partner(?:'?s)?|other|offered|received|asked)\b", re.IGNORECASE
)
_NEAR = re.compile(r"\b(?:near|own|local|ours?|mine|this|configured|permitted|wanted|required|held)\b", re.IGNORECASE)


def facing_proposals(lines: Sequence[str], protocol: str) -> tuple[Proposal, Proposal] | None:
    """(the writer's, the peer's) where a record lists the algorithms of each under a heading of its own; None where it does not."""
    parts: dict[str, list[str]] = {}
    who = ""
    for line in lines:
        far, near = _FAR.search(line) is not None, _NEAR.search(line) is not None
        if far != near and find_proposal(line, protocol) is None:
            who = "far" if far else "near"
        elif who:
            parts.setdefault(who, []).append(" ".join(line.split()))
    found = {side: find_proposal("; ".join(rows), protocol) for side, rows in parts.items()}
    mine, theirs = found.get("near"), found.get("far")
    return (mine, theirs) if mine is not None and theirs is not None else None
