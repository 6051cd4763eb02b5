"""The one-line bars at the top and the bottom of every screen."""

from __future__ import annotations

from rich.segment import Segment
from rich.style import Style
from textual.strip import Strip
from textual.widget import Widget

from stomion.tui.goingon import GoesOn
from stomion.tui.keymap import SCREENS, bar_keys
from stomion.tui.palette import DARK, THEMES
from stomion.tui.spans import Line, cut, width_of
from stomion.vocabulary.clean import clean


class Bar(GoesOn, Widget):
    """One line with a left part and a right part; the right part gives way first."""

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._left: Line = []
        self._right: Line = []

    def show(self, left: Line, right: Line) -> None:
        """Replace both parts."""
        self._left, self._right = left, right
        self.refresh()

    def render_line(self, y: int) -> Strip:
        colours = THEMES.get(self.app.theme, DARK)
        width = self.size.width
        base = Style(bgcolor=colours["raised"], color=colours["muted"])
        room = width - width_of(self._left) - 3
        line = [(" ", "muted"), *self._left]
        used = width_of(self._right)
        if used <= room:
            line += [(" " * (room - used + 1), "muted"), *self._right]
        elif room > 8:
            line += [("  ", "muted"), (cut("".join(t for t, _ in self._right), room - 2), "muted")]
        segments = [
            Segment(
                clean(t), Style(color=colours[tone.lstrip("!")], bgcolor=colours["raised"], bold=tone.startswith("!"))
            )
            for t, tone in line
        ]
        return Strip(segments).adjust_cell_length(width, base)


WIDE = 130
"""Columns from which the bottom bar names every screen."""


def bottom(screen: str, width: int) -> tuple[Line, Line]:
    """The bottom bar: screens at the left with the present one marked, keys at the right, the key of all keys last."""
    left: Line = []
    for number, name in SCREENS:
        here = name == screen
        left.append((f"{number} ", "source" if here else "faint"))
        if here or width >= WIDE:
            left.append((f"{name}   ", "!strong" if here else "muted"))
    right: Line = []
    room = width - width_of(left) - 4
    keys = bar_keys(screen)
    for key, word in keys[:-1]:
        pair: Line = [(f"{key} ", "source"), (f"{word}   ", "muted")]
        if width_of(right) + width_of(pair) + 8 <= room:
            right += pair
    return left, [*right, (f"{keys[-1][0]} ", "source"), (keys[-1][1], "muted")]
