"""What was read of the case, what of it was not used, and what could not be read."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult

from stomion.jobs.places import text_sources
from stomion.model.provenance import Provenance
from stomion.tui.keymap import bindings
from stomion.tui.pages import read as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines


class ReadScreen(Page):
    place = "read"
    BINDINGS = bindings("read")
    CSS = """
    #read { height: 1fr; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._built: list[tuple[Line, Provenance | None]] = []

    def content(self) -> ComposeResult:
        yield Lines(id="read")

    def on_mount(self) -> None:
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        examined = self.stomion.examined
        count = len(examined.evidence.sources) if examined is not None else 0
        return self.stomion.trail(self.place), [(f"{count} files", "muted")]

    def fill(self) -> None:
        examined = self.stomion.examined
        lines = self.query_one(Lines)
        if examined is None:
            lines.show(2, lambda row, _w: [("  Reading the evidence …", "muted")] if row else [])
            return
        built = self._built = page.page(examined, self.size.width - 1)
        lines.show(len(built), lambda row, _w: built[row][0], stops=lambda row: built[row][1] is not None)

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        """Open the place, where it is text."""
        place = self._built[event.row][1]
        examined = self.stomion.examined
        if place is None or examined is None:
            return
        if place.file in text_sources(examined):
            self.stomion.open_place(place)
        else:
            self.notify(f"{place.file} is no text to open here.", markup=False)

    def copied(self) -> str:
        """The line under the cursor."""
        row = self.query_one(Lines).row
        return "".join(text for text, _ in self._built[row][0]).strip() if 0 <= row < len(self._built) else ""
