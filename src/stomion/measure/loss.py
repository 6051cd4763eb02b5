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


@dataclass(frozen=True, slots=True)
class Gap:
    """Probes lost in one piece: the index of the first of them, and how many; answers stand before and after."""

    first: int
    lost: int


def one_gap(answered: Sequence[bool]) -> Gap | None:
    """The one longer piece of a series in which nothing was answered, else None: single probes beside it do not count."""
    runs, at = [], 0
    for got, group in groupby(answered):
        count = len(list(group))
        if not got and count > 1:
            runs.append(Gap(at, count))
        at += count
    if len(runs) != 1 or runs[0].first == 0 or runs[0].first + runs[0].lost == len(answered):
        return None
    return runs[0]


def scattered_loss(answered: Sequence[bool]) -> Loss | None:
    """The loss of a series (True for an answered probe) where it is scattered, else None."""
    runs = [len(list(group)) for got, group in groupby(answered) if not got]
    lost = sum(runs)
    if len(answered) < ENOUGH or len(runs) < APART or max(runs) > LONGEST or lost > MOST * len(answered):
        return None
    return Loss(len(answered), lost, len(runs))
