"""Pieces of a set of packets on their way: what they were at the start, and what translation made of them since."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec
from msgspec.structs import replace

from stomion.model.box import Box
from stomion.model.tables import Rule
from stomion.space.boxes import meet, minus


class Piece(msgspec.Struct, frozen=True):
    """`box` is what the packets were at first; `fixed` holds the axes that translation has set to one value each."""

    box: Box
    fixed: tuple[tuple[int, int], ...] = ()
    mark: int = 0
    tag: int = 0
    """For whoever sends many pieces through at once: which one a part came from."""

    @property
    def now(self) -> Box:
        """What the packets are at present."""
        if not self.fixed:
            return self.box
        out = list(self.box)
        for axis, value in self.fixed:
            out[axis] = (value, value)
        return tuple(out)

    def cut(self, box: Box) -> Piece | None:
        """The part that is in a box now."""
        shared = meet(self.now, box)
        return self._from(shared) if shared is not None else None

    def without(self, box: Box) -> list[Piece]:
        """The parts that are not."""
        return [self._from(part) for part in minus(self.now, box)]

    def _from(self, now: Box) -> Piece:
        if not self.fixed:
            return Piece(now, (), self.mark, self.tag)
        held = {axis for axis, _ in self.fixed}
        return replace(self, box=tuple(self.box[a] if a in held else now[a] for a in range(len(now))))

    @property
    def changed(self) -> bool:
        """Are its packets other ones than at first? A translation may well give an address that was there already."""
        return self.now != self.box

    def with_axis(self, axis: int, value: int) -> Piece:
        """Translated: one axis set to a value."""
        return replace(self, fixed=(*(f for f in self.fixed if f[0] != axis), (axis, value)))


def divided(pieces: Iterable[Piece], boxes: Iterable[Box]) -> tuple[list[Piece], list[Piece]]:
    """The parts of some pieces that lie in any of some boxes, each once, and the rest. The one loop that cuts pieces."""
    inside: list[Piece] = []
    outside = list(pieces)
    for box in boxes:
        following: list[Piece] = []
        for part in outside:
            cut = part.cut(box)
            if cut is None:
                following.append(part)
            else:
                inside.append(cut)
                following.extend(part.without(box))
        outside = following
    return inside, outside


def split(piece: Piece, rule: Rule) -> tuple[list[Piece], list[Piece]]:
    """The parts of a piece that a rule matches, and those it does not."""
    if rule.marks and not any(low <= piece.mark <= high for low, high in rule.marks):
        return [], [piece]
    return divided((piece,), rule.boxes)
