"""A what-if, whatever it changes: a picture as it would be, the steps to it in words, and the way back. Evidence is never touched."""

from __future__ import annotations

from dataclasses import dataclass, replace

from stomion.tunnel.picture import Picture

MAX_TRIES = 4


@dataclass(frozen=True, slots=True)
class Change:
    """One step at one machine, in words for whoever carries it out."""

    site: str
    words: str


@dataclass(frozen=True, slots=True)
class Try:
    """One what-if: the picture as it would be after its changes, the pictures before each of them, and those taken back."""

    letter: str
    picture: Picture
    changes: tuple[Change, ...] = ()
    before: tuple[Picture, ...] = ()
    undone: tuple[tuple[Picture, Change], ...] = ()

    def with_change(self, picture: Picture, change: Change) -> Try:
        """One more step."""
        return replace(
            self, picture=picture, changes=(*self.changes, change), before=(*self.before, self.picture), undone=()
        )

    @property
    def base(self) -> Picture:
        """Things as they are, before its first step."""
        return self.before[0] if self.before else self.picture

    def undo(self) -> Try | None:
        """Without its last step; None where it has none."""
        if not self.changes:
            return None
        return replace(
            self, picture=self.before[-1], changes=self.changes[:-1], before=self.before[:-1],
            undone=(*self.undone, (self.picture, self.changes[-1])),
        )  # fmt: skip

    def redo(self) -> Try | None:
        """With the step that was taken back last; None where there is none."""
        if not self.undone:
            return None
        picture, change = self.undone[-1]
        return replace(self.with_change(picture, change), undone=self.undone[:-1])
