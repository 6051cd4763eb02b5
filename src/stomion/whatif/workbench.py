"""Several what-ifs side by side over one picture: begun, changed, taken back, dropped; which one is in hand, and what each leads to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Generic, TypeVar

from stomion.errors import UsageError
from stomion.tunnel.picture import LanTest, Picture
from stomion.whatif.attempt import MAX_TRIES, Try

Made = TypeVar("Made")


class Workbench(Generic[Made]):
    """`base` is the picture as it is, `judge` says what becomes of it (as is, as it would be): of tables (`tables.outcome`) or of
    sheets (`sheets.outcome`). Every refusal is a UsageError that says what can be done instead."""

    def __init__(self, base: Picture, judge: Callable[[Picture, Picture], Made]) -> None:
        self.base = base
        self._judge = judge
        self.tries: list[Try] = []
        self.at = 0
        self._outcomes: dict[int, tuple[Picture, Picture, Made]] = {}

    @property
    def current(self) -> Try | None:
        """The what-if in hand; None where none has been begun."""
        return self.tries[self.at] if self.tries else None

    @property
    def trying(self) -> bool:
        """Has the what-if in hand any step?"""
        return self.current is not None and bool(self.current.changes)

    @property
    def picture(self) -> Picture:
        """Things as they would be, or as they are."""
        return self.current.picture if self.current is not None else self.base

    @property
    def ready(self) -> bool:
        """Is a what-if in hand whose outcome is worked out?"""
        return self.current is not None and self.trying and self.known(self.current) is not None

    @property
    def letter(self) -> str:
        """The name of the what-if in hand, empty where nothing is tried."""
        return self.current.letter if self.current is not None and self.trying else ""

    def change(self, step: Callable[[Try], Try]) -> None:
        """One step more in the what-if in hand; the first one begins it. A step that changes nothing is none."""
        begun = self.current or Try("A", self.base)
        after = step(begun)
        if after is begun:
            return
        if not self.tries:
            self.tries, self.at = [begun], 0
        self.tries[self.at] = after

    def undo(self) -> None:
        """Take the last step back."""
        self._put(self.current.undo() if self.current is not None else None, "Nothing was changed here.")

    def redo(self) -> None:
        """Make the step again that was taken back last."""
        self._put(self.current.redo() if self.current is not None else None, "There is nothing to redo here.")

    def _put(self, found: Try | None, otherwise: str) -> None:
        if found is None:
            raise UsageError(otherwise)
        self.tries[self.at] = found

    def another(self) -> None:
        """Keep the what-if in hand, and begin another from things as they are."""
        if not self.trying:
            raise UsageError("Change something first; ? lists the keys that do.")
        if len(self.tries) >= MAX_TRIES:
            raise UsageError(f"{MAX_TRIES} what-ifs stand side by side at most; D drops one.")
        free = next(c for c in "ABCDEFGH" if all(t.letter != c for t in self.tries))
        self.tries.append(Try(free, self.base))
        self.at = len(self.tries) - 1

    def next(self) -> None:
        """Take the next what-if in hand."""
        if len(self.tries) < 2:
            raise UsageError("There is no other what-if; s keeps this one and begins another.")
        self.at = (self.at + 1) % len(self.tries)

    def drop(self) -> None:
        """Forget the what-if in hand."""
        if not self.tries:
            raise UsageError("Nothing was changed here.")
        del self.tries[self.at]
        self.at = max(0, self.at - 1)

    def expect(self, flow: LanTest) -> None:
        """One flow more to look at, in every picture."""

        def more(picture: Picture) -> Picture:
            return replace(picture, expected=(*picture.expected, flow))

        self.base = more(self.base)
        self.tries = [
            replace(
                t, picture=more(t.picture), before=tuple(map(more, t.before)), undone=tuple((more(p), c) for p, c in t.undone)
            )
            for t in self.tries
        ]  # fmt: skip

    def known(self, attempt: Try) -> Made | None:
        """What a what-if leads to, where it is worked out already."""
        found = self._outcomes.get(id(attempt.picture))
        return found[2] if found is not None and found[0] is self.base else None

    def waiting(self) -> list[Try]:
        """Those whose outcome is not worked out yet."""
        return [t for t in self.tries if t.changes and self.known(t) is None]

    def work_out(self, attempt: Try) -> Made:
        """Its outcome; thousands of rules take seconds, the second time nothing."""
        found = self.known(attempt) or self._judge(self.base, attempt.picture)
        self._outcomes[id(attempt.picture)] = (self.base, attempt.picture, found)
        return found
