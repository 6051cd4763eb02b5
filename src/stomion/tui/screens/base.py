"""What all screens share: a bar above, a bar below, and content that follows the app's state."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any, cast

from textual.app import ComposeResult
from textual.screen import Screen

from stomion.errors import UsageError
from stomion.tui.goingon import GoesOn
from stomion.tui.spans import Line
from stomion.tui.widgets.bars import Bar, bottom

if TYPE_CHECKING:
    from stomion.tui.app import StomionApp
    from stomion.whatif.workbench import Workbench

_BENCH: dict[str, Callable[[Workbench[Any]], None]] = {
    "undo": lambda bench: bench.undo(),
    "redo": lambda bench: bench.redo(),
    "another": lambda bench: bench.another(),
    "next": lambda bench: bench.next(),
    "drop": lambda bench: bench.drop(),
}
"""What the key table names, of any what-ifs."""


class Page(GoesOn, Screen[None]):
    """A full screen; `place` is its name in the key table."""

    place = ""

    @property
    def stomion(self) -> StomionApp:
        """The app, typed."""
        return cast("StomionApp", self.app)

    def compose(self) -> ComposeResult:
        yield Bar(id="above")
        yield from self.content()
        yield Bar(id="below")

    def content(self) -> ComposeResult:
        """The screen's own widgets."""
        raise NotImplementedError

    def on_screen_resume(self) -> None:
        self.refresh_page()

    def on_resize(self) -> None:
        self.refresh_page()

    def refresh_page(self) -> None:
        """Show the app's present state; nothing where the app is being left, whose widgets go one after another."""
        if not (self.is_mounted and self.is_attached):
            return
        try:
            self.fill()
        except Exception as error:
            self.stomion.go_on_after(error)
        self.query_one("#above", Bar).show(*self.above())
        self.query_one("#below", Bar).show(*bottom(self.place, self.size.width))

    def above(self) -> tuple[Line, Line]:
        """Left and right part of the top bar."""
        return self.stomion.trail(self.place), []

    def fill(self) -> None:
        """Put the content in."""
        raise NotImplementedError

    def close_filter(self) -> bool:
        """Escape: close what is being typed. True where something was open."""
        return False

    def copied(self) -> str:
        """What `c` copies here."""
        return self.stomion.finding_text()

    def at_bench(self, bench: Workbench[Any] | None, what: str) -> None:
        """Undo, redo, another, next or drop; a refusal says what can be done instead."""
        if bench is None:
            return
        try:
            _BENCH[what](bench)
        except UsageError as error:
            self.notify(str(error), markup=False)
