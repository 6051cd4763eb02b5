"""Both ends' counters facing along one time axis; the cursor walks the axis, the rows open their evidence."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult

from stomion.tui.keymap import bindings
from stomion.tui.pages import counters as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines
from stomion.views.counters import CountersDrawing, counters_of
from stomion.views.looked import missing
from stomion.vocabulary.times import clock_text


class CountersScreen(Page):
    place = "counters"
    BINDINGS = bindings("counters")

    def __init__(self) -> None:
        super().__init__()
        self._drawing: CountersDrawing | None = None
        self._built: page.Built = []
        self._of = ""
        self._cursor = 0
        self._rate = False

    def content(self) -> ComposeResult:
        yield Lines(id="counters")

    def on_mount(self) -> None:
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        drawing = self._drawing
        span = f"{clock_text(drawing.since, day=True)[:19]} – {clock_text(drawing.until)[:8]} UTC" if drawing else ""
        return self.stomion.trail(self.place), [(span, "muted")]

    def fill(self) -> None:
        diagnosis = self.stomion.current
        lines = self.query_one(Lines)
        if diagnosis is None:
            lines.show(2, lambda row, _w: [("  No tunnel is chosen.", "muted")] if row else [])
            return
        plot = page.plot_width(self.size.width - 1)
        if diagnosis.picture.name != self._of:
            self._of, self._drawing = diagnosis.picture.name, None
            self._cursor = plot - 1
        self._drawing = counters_of(diagnosis)
        self._cursor = max(0, min(self._cursor, plot - 1))
        if self._drawing is None:
            words = "; ".join(missing(diagnosis.picture))
            said: list[Line] = [
                [],
                [("  No counters of this tunnel were read.", "!strong")],
                [(f"  missing: {words}", "muted")],
            ]
            said.append([("  o lists what to fetch, and from whom.", "muted")])
            self._built = [(line, None) for line in said]
            lines.show(len(said), lambda row, _w: said[row], stops=lambda _row: False)
            return
        self._show()

    def _show(self) -> None:
        diagnosis, drawing = self.stomion.current, self._drawing
        if diagnosis is None or drawing is None:
            return
        lines = self.query_one(Lines)
        built = self._built = page.page(
            drawing, diagnosis, self.size.width - 1, self.size.height - 2, self._cursor, rate=self._rate
        )
        lines.show(len(built), lambda r, _w: built[r][0], stops=lambda r: built[r][1] is not None)

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        where = self._built[event.row][1] if 0 <= event.row < len(self._built) else None
        if where is not None:
            self.stomion.open_place(where)

    def action_rate(self) -> None:
        """The sums so far, or what went in the time of each cell."""
        self._rate = not self._rate
        self._show()

    def action_walk(self, step: int) -> None:
        """The time cursor one cell, or with a larger step to the next thing that happened."""
        drawing = self._drawing
        if drawing is None:
            return
        plot = page.plot_width(self.size.width - 1)
        self._cursor = max(0, min(self._cursor + step, plot - 1))
        self._show()

    def action_mark(self, step: int) -> None:
        """The next or the last thing that happened."""
        drawing = self._drawing
        if drawing is None:
            return
        plot = page.plot_width(self.size.width - 1)
        span = drawing.until - drawing.since
        cells = sorted(
            {max(0, min(plot - 1, round((m.at - drawing.since) / span * (plot - 1)))) for m in drawing.marks}
        )
        wanted = [c for c in cells if (c > self._cursor if step > 0 else c < self._cursor)]
        if not wanted:
            self.notify("Nothing further happened." if step > 0 else "Nothing happened before.")
            return
        self._cursor = wanted[0] if step > 0 else wanted[-1]
        self._show()
