"""Which of many rules, or of many tunnels' selectors, some packets can touch at all: their bounds in arrays, made once for a list.

A hub has a thousand tunnels and as many rules, and the packets of one tunnel touch a handful of them.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, TypeVar

from stomion.model.box import Box
from stomion.model.tables import Tables
from stomion.space.axis import V4_LAST
from stomion.space.boxes import EVERY
from stomion.walk.pieces import Piece

if TYPE_CHECKING:
    import numpy as np

AXES = len(EVERY)
FEW = 64
"""Lists up to this long are gone through as they are: arrays cost more than they save."""
Item = TypeVar("Item")


def coarse(value: int) -> int:
    """A value of any axis in 63 bits, order kept: IPv6 addresses that differ in their last 66 bits only may become alike.

    What touches still touches then; what is found too much is sorted out by the exact arithmetic.
    """
    return value if value <= V4_LAST else V4_LAST + 1 + ((value - V4_LAST - 1) >> 66)


def touching(used: np.ndarray[Any, Any], box: Box) -> np.ndarray[Any, Any]:
    """For bounds as rows (low and high of every axis in turn), which columns share something with a box."""
    import numpy as np

    mask = np.ones(used.shape[1], dtype=bool)
    for axis, (low, high) in enumerate(box):
        if (low, high) != EVERY[axis]:
            mask &= (used[2 * axis] <= coarse(high)) & (used[2 * axis + 1] >= coarse(low))
    return mask


def near(
    tables: Tables, name: str, items: Sequence[Item], boxes_of: Callable[[Item], Sequence[Box]], pieces: list[Piece]
) -> Sequence[Item]:
    """The items of one of a machine's lists that some of the pieces may touch, in their order; `name` is the list's own.

    The bounds of a long list stay with the tables they were made of, and go when these do.
    """
    if len(items) <= FEW:
        return items
    import numpy as np

    held = tables.worked_out.get(("bounds", name))
    if not isinstance(held, _Kept) or held.items is not items:
        held = tables.worked_out["bounds", name] = _Kept(items, _bounds(items, boxes_of))
    bounds = held.bounds
    mask = np.zeros(bounds.shape[1], dtype=bool)
    for box in [p.now for p in pieces] if len(pieces) <= FEW else [hull([p.now for p in pieces])]:
        mask |= touching(bounds, box)
    return [items[i] for i in np.nonzero(mask)[0].tolist()]


@dataclass(frozen=True, slots=True)
class _Kept:
    """The bounds of a list, and the list: a chain may be asked with a part of its rules only."""

    items: Sequence[object]
    bounds: np.ndarray[Any, Any]


def _bounds(items: Sequence[Item], boxes_of: Callable[[Item], Sequence[Box]]) -> np.ndarray[Any, Any]:
    import numpy as np

    out = np.empty((2 * AXES, len(items)), dtype=np.int64)
    for index, item in enumerate(items):
        around = hull(boxes_of(item))
        out[:, index] = [coarse(value) for interval in around for value in interval]
    return out


def hull(boxes: Sequence[Box]) -> Box:
    """The box around some boxes; one that nothing touches where there are none."""
    if not boxes:
        return tuple((high, low) for low, high in EVERY)
    return tuple((min(b[axis][0] for b in boxes), max(b[axis][1] for b in boxes)) for axis in range(AXES))
