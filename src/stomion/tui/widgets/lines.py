"""A scrolling page of lines with a cursor: the one widget that all screens are made of.

Lines are asked for when they come into view, so a page of a million lines costs no more than one of forty.
"""

from __future__ import annotations

from collections.abc import Callable

from rich.segment import Segment
from rich.style import Style
from textual import events
from textual.binding import Binding
from textual.geometry import Region, Size
from textual.message import Message
from textual.scroll_view import ScrollView
from textual.strip import Strip

from stomion.tui.goingon import GoesOn
from stomion.tui.palette import DARK, THEMES
from stomion.tui.spans import Line
from stomion.vocabulary.clean import clean

LineAt = Callable[[int, int], Line]
"""(row, width) -> line."""


class Lines(GoesOn, ScrollView, can_focus=True):
    """Rows numbered from 0; the cursor rests on those that `stops` lets it."""

    BINDINGS = [
        Binding("up,k", "move(-1)", "up", show=False),
        Binding("down,j", "move(1)", "down", show=False),
        Binding("pageup", "page(-1)", "page up", show=False),
        Binding("pagedown,space", "page(1)", "page down", show=False),
        Binding("home,g", "edge(-1)", "first", show=False),
        Binding("end,G", "edge(1)", "last", show=False),
        Binding("enter", "choose", "open", show=False),
    ]

    class Moved(Message):
        """The cursor came to another row."""

        def __init__(self, lines: Lines, row: int) -> None:
            super().__init__()
            self.lines, self.row = lines, row

    class Chosen(Message):
        """Enter, or a click on the row under the cursor."""

        def __init__(self, lines: Lines, row: int) -> None:
            super().__init__()
            self.lines, self.row = lines, row

    def __init__(self, *, id: str | None = None, cursor: bool = True, ground: str = "ground") -> None:
        super().__init__(id=id)
        self._line_at: LineAt = lambda _row, _width: []
        self._count = 0
        self._stops: Callable[[int], bool] = lambda _row: True
        self._has_cursor = cursor
        self._ground = ground
        self.row = -1

    def show(
        self, count: int, line_at: LineAt, *, row: int | None = None, stops: Callable[[int], bool] = lambda _row: True
    ) -> None:
        """Put new content in; the cursor goes to `row`, or stays where it was if that is still there."""
        self._count, self._line_at, self._stops = count, line_at, stops
        self.virtual_size = Size(max(self.size.width, 1), count)
        wanted = self.row if row is None else row
        self.row = self._nearest(max(0, min(wanted, count - 1))) if count and self._has_cursor else -1
        if self.row >= 0:
            self._reveal()
        else:
            self.scroll_to(y=0, animate=False)
        self.refresh()

    def go(self, row: int) -> None:
        """Move the cursor to a row."""
        row = self._nearest(max(0, min(row, self._count - 1))) if self._count else -1
        if row != self.row:
            self.row = row
            self._reveal()
            self.refresh()
            self.post_message(self.Moved(self, row))

    def _nearest(self, row: int) -> int:
        """The closest row the cursor may rest on; -1 where there is none."""
        for distance in range(self._count):
            for candidate in (row + distance, row - distance):
                if 0 <= candidate < self._count and self._stops(candidate):
                    return candidate
        return -1

    def _reveal(self) -> None:
        if self.row >= 0 and self.size.height:
            # A row far from what is shown comes to the middle, with what stands around it; a near one just into view.
            far = not -1 <= self.row - self.scroll_offset.y <= self.size.height
            self.scroll_to_region(Region(0, self.row, 1, 1), animate=False, force=True, center=far)

    def action_move(self, step: int) -> None:
        if not self._has_cursor or self.row < 0:
            self.scroll_relative(y=step, animate=False)
            return
        row = self.row + step
        while 0 <= row < self._count:
            if self._stops(row):
                self.go(row)
                return
            row += step
        self.scroll_relative(y=step, animate=False)

    def action_page(self, step: int) -> None:
        height = max(1, self.size.height - 2)
        if self._has_cursor and self.row >= 0:
            self.go(self.row + step * height)
        else:
            self.scroll_relative(y=step * height, animate=False)

    def action_edge(self, step: int) -> None:
        if self._has_cursor and self._count:
            self.go(0 if step < 0 else self._count - 1)
        else:
            self.scroll_to(y=0 if step < 0 else self._count, animate=False)

    def action_choose(self) -> None:
        if self.row >= 0:
            self.post_message(self.Chosen(self, self.row))

    def on_click(self, event: events.Click) -> None:
        row = event.y + self.scroll_offset.y
        if not self._has_cursor or not 0 <= row < self._count or not self._stops(row):
            return
        if row == self.row:
            self.action_choose()
        else:
            self.go(row)

    def on_resize(self, event: events.Resize) -> None:
        self.virtual_size = Size(max(event.size.width, 1), self._count)
        self._reveal()

    def render_line(self, y: int) -> Strip:
        try:
            return self.strip_at(y)
        except Exception as error:
            # Drawing is asked for by the toolkit's own clock: there nobody else can go on after it.
            self.go_on_after(error)
            return Strip.blank(self.size.width)

    def strip_at(self, y: int) -> Strip:
        """What stands in a row of the screen."""
        colours = THEMES.get(self.app.theme, DARK)
        row = y + self.scroll_offset.y
        chosen = row == self.row and self._has_cursor
        shade = "chosen" if chosen and self.has_focus else "raised" if chosen else self._ground
        width = self.size.width
        base = Style(bgcolor=colours[shade], color=colours["plain"])
        if not 0 <= row < self._count:
            return Strip.blank(width, base)
        segments = [_segment(text, tone, colours, colours[shade]) for text, tone in self._line_at(row, width)]
        return Strip(segments).adjust_cell_length(width, base)


def _segment(text: str, tone: str, colours: dict[str, str], ground: str) -> Segment:
    bold = tone.startswith("!")
    name = tone.lstrip("!")
    if not text.isprintable():
        # File names and evidence are cleaned when read; this is the last gate before the terminal.
        text = clean(text).replace("\t", " ")
    return Segment(text, Style(color=colours.get(name, colours["plain"]), bgcolor=ground, bold=bold))
