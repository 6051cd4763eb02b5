"""Many pieces kept so that those a rule may touch are found at once.

A rule touches few of many pieces. In a list of thousands of rules nearly all the time would go into asking each piece; past a few
pieces their bounds stand in arrays, and one comparison of arrays answers for all of them.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from stomion.model.box import Box
from stomion.model.tables import Rule
from stomion.walk.index import AXES, coarse, touching
from stomion.walk.pieces import Piece, split

if TYPE_CHECKING:
    import numpy as np

FEW = 64
"""So many pieces are asked one by one: arrays cost more than they save."""


class Shelf:
    """Disjoint pieces, in no order."""

    def __init__(self, pieces: Iterable[Piece]) -> None:
        self._pieces: list[Piece | None] = list(pieces)
        self._count = len(self._pieces)
        self._bounds: np.ndarray[Any, Any] | None = None

    def __len__(self) -> int:
        return self._count

    def pieces(self) -> list[Piece]:
        """All that is on it."""
        return [p for p in self._pieces if p is not None]

    def add(self, pieces: Iterable[Piece]) -> None:
        """Put more on it."""
        for piece in pieces:
            self._pieces.append(piece)
            self._count += 1
            if self._bounds is not None:
                self._note(len(self._pieces) - 1, piece)

    def matched(self, rule: Rule) -> list[Piece]:
        """Take off what a rule matches; the rest stays."""
        found: list[Piece] = []
        rest: list[Piece] = []
        for index in self._touching(rule):
            piece = self._pieces[index]
            if piece is None:
                continue
            inside, outside = split(piece, rule)
            if inside:
                self._pieces[index] = None
                self._count -= 1
                if self._bounds is not None:
                    self._bounds[:, index] = -1
                found.extend(inside)
                rest.extend(outside)
        self.add(rest)
        return found

    def _touching(self, rule: Rule) -> Iterable[int]:
        """Where the pieces lie that the rule may match."""
        if self._bounds is None:
            if self._count <= FEW:
                if len(self._pieces) > 2 * FEW:
                    self._pieces = list(self.pieces())
                return [i for i, p in enumerate(self._pieces) if p is not None and _touches(p.now, rule.boxes)]
            self._arrange()
        assert self._bounds is not None
        if len(self._pieces) > 2 * self._count + FEW:
            self._arrange()
        import numpy as np

        used = self._bounds[:, : len(self._pieces)]
        touched: set[int] = set()
        alive = used[0] >= 0
        for box in rule.boxes:
            touched.update(np.nonzero(touching(used, box) & alive)[0].tolist())
        return sorted(touched)

    def _arrange(self) -> None:
        """The bounds of all pieces as arrays: a row for the low and one for the high end of every axis."""
        import numpy as np

        self._pieces = list(self.pieces())
        self._bounds = np.full((2 * AXES, 2 * len(self._pieces) + FEW), -1, dtype=np.int64)
        for index, piece in enumerate(self._pieces):
            assert piece is not None
            self._note(index, piece)

    def _note(self, index: int, piece: Piece) -> None:
        import numpy as np

        assert self._bounds is not None
        if index >= self._bounds.shape[1]:
            self._bounds = np.concatenate((self._bounds, np.full_like(self._bounds, -1)), axis=1)
        self._bounds[:, index] = [coarse(value) for interval in piece.now for value in interval]


def _touches(a: Box, boxes: Iterable[Box]) -> bool:
    """Does a box share anything with some of these? Written out: a long list spends nearly all its time here."""
    for b in boxes:
        if (
            a[0][0] <= b[0][1] and b[0][0] <= a[0][1] and a[1][0] <= b[1][1] and b[1][0] <= a[1][1]
            and a[2][0] <= b[2][1] and b[2][0] <= a[2][1] and a[4][0] <= b[4][1] and b[4][0] <= a[4][1]
            and a[3][0] <= b[3][1] and b[3][0] <= a[3][1]
        ):  # fmt: skip
            return True
    return False
