"""ESP sent against ESP received, by packet size: nothing arrives, or nothing above a size."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

ENOUGH = 3
"""Packets below which a loss says nothing."""


@dataclass(frozen=True, slots=True)
class SizeLimit:
    """Packets of up to `passes` bytes arrive, those of `lost_from` bytes and more do not; `lost` is how many were lost."""

    passes: int
    lost_from: int
    lost: int


def nothing_arrives(sent: Mapping[int, int], got: Mapping[int, int]) -> int:
    """How many packets left where not one of them arrived; else 0."""
    total = sum(sent.values())
    return total if total >= ENOUGH and not sum(got.values()) else 0


def size_limit(sent: Mapping[int, int], got: Mapping[int, int]) -> SizeLimit | None:
    """The size above which nothing arrives though smaller packets do; None where the loss is of another kind."""
    arrived = [size for size, count in got.items() if count and sent.get(size)]
    if not arrived:
        return None
    passes = max(arrived)
    larger = {size: count for size, count in sent.items() if size > passes}
    smaller = sum(count for size, count in sent.items() if size <= passes)
    came = sum(min(got.get(size, 0), count) for size, count in sent.items() if size <= passes)
    if sum(larger.values()) < ENOUGH or came < ENOUGH or came < 0.7 * smaller:
        return None
    return SizeLimit(passes, min(larger), sum(larger.values()))
