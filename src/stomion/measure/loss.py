"""Loss in a series of probes: is it one gap, everything, or single packets here and there?"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

ENOUGH = 20
"""Probes below which a share of loss says nothing."""
APART = 3
"""Separate places of loss that are needed: one is an outage, two may be its two ends."""
LONGEST = 3
"""Probes lost in a row beyond which it is an outage rather than chance."""
MOST = 0.7
"""Share of loss above which the path is not lossy but broken."""


@dataclass(frozen=True, slots=True)
class Loss:
    """`runs` is the number of separate places at which probes were lost."""

    sent: int
    lost: int
    runs: int


def scattered_loss(answered: Sequence[bool]) -> Loss | None:
    """The loss of a series (True for an answered probe) where it is scattered, else None."""
    runs = [len(list(group)) for got, group in groupby(answered) if not got]
    lost = sum(runs)
    if len(answered) < ENOUGH or len(runs) < APART or max(runs) > LONGEST or lost > MOST * len(answered):
        return None
    return Loss(len(answered), lost, len(runs))
