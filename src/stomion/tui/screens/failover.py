"""A failover on one clock: lanes, the outage in its parts, what the timers promise and what other timers would."""

from __future__ import annotations

from textual import events, on
from textual.app import ComposeResult

from stomion.tui.keymap import bindings
from stomion.tui.pages import failover as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line, paragraph
from stomion.tui.widgets.lines import Lines
from stomion.tunnel.timers import Prediction
from stomion.views.failover import FailoverDrawing, failover_of, readiness_of, switch_count
from stomion.vocabulary.times import clock_text

CLOSEST_S = 0.5
"""The shortest span that is shown."""
INTERVALS = (0.5, 1.0, 2.0, 3.0, 5.0, 10.0, 15.0, 20.0, 30.0, 60.0)
MOST_TRIES = 10


class FailoverScreen(Page):
    place = "failover"
    BINDINGS = bindings("failover")

    def __init__(self) -> None:
        super().__init__()
        self._drawing: FailoverDrawing | None = None
        self._built: page.Built = []
        self._of: tuple[str, int] = ("", 0)
        self._number = 0
        self._cursor = 0
        self._view: tuple[float, float] = (0.0, 1.0)
        self._tried: Prediction | None = None

    def content(self) -> ComposeResult:
        yield Lines(id="failover")

    def on_mount(self) -> None:
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        span = (
            f"{clock_text(self._view[0], day=True)[:19]} – {clock_text(self._view[1])[:8]} UTC" if self._drawing else ""
        )
        return self.stomion.trail(self.place), [(span, "muted")]

    @property
    def _plot(self) -> int:
        return page.plot_width(self.size.width - 1)

    def fill(self) -> None:
        diagnosis = self.stomion.current
        lines = self.query_one(Lines)
        if diagnosis is None:
            lines.show(2, lambda row, _w: [("  No tunnel is chosen.", "muted")] if row else [])
            return
        if diagnosis.picture.name != self._of[0]:
            self._number = 0
        drawing = self._drawing = failover_of(diagnosis, self._number)
        if drawing is None:
            self._without()
            return
        if (diagnosis.picture.name, self._number) != self._of:
            self._of = (diagnosis.picture.name, self._number)
            self._view, self._tried = (drawing.since, drawing.until), None
            begin = drawing.switch.loss if drawing.switch.loss is not None else drawing.switch.detected
            self._cursor = page.cell_of(self._view, self._plot, begin)
        self._show()

    def _without(self) -> None:
        """Nothing switched: what is known of the standby, or why there is nothing to show."""
        diagnosis = self.stomion.current
        assert diagnosis is not None
        ready = readiness_of(diagnosis)
        width = max(40, self.size.width - 6)
        if ready is not None:
            said: list[Line] = [[]]
            for number, words in enumerate(ready.words):
                said += paragraph(words, "!strong" if number == 0 else "plain", width, 2)
        else:
            said = [[], [("  This tunnel is of no pair: no sheet calls it primary or standby.", "!strong")]]
            words = "Give both tunnels their role in the sites' sheets: role = 'primary' and role = 'standby'."
            said += paragraph(words, "muted", width, 2)
        self._built = [(line, None) for line in said]
        self.query_one(Lines).show(len(said), lambda row, _w: said[row], stops=lambda _row: False)

    def _show(self) -> None:
        diagnosis, drawing = self.stomion.current, self._drawing
        if diagnosis is None or drawing is None:
            return
        built = self._built = page.page(drawing, diagnosis, self.size.width - 1, self._view, self._cursor, self._tried)
        self.query_one(Lines).show(len(built), lambda r, _w: built[r][0], stops=lambda r: built[r][1] is not None)
        self.query_one("#above").refresh()

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        where = self._built[event.row][1] if 0 <= event.row < len(self._built) else None
        if where is not None:
            self.stomion.open_place(where)

    def action_walk(self, step: int) -> None:
        """The cursor along the axis; at its edge the view goes along."""
        if self._drawing is None:
            return
        cell = self._cursor + step
        if not 0 <= cell < self._plot:
            self._pan(step * (self._view[1] - self._view[0]) / 8)
            return
        self._cursor = cell
        self._show()

    def _pan(self, seconds: float) -> None:
        drawing = self._drawing
        assert drawing is not None
        low, high = self._view
        seconds = max(drawing.since - low, min(seconds, drawing.until - high))
        self._view = (low + seconds, high + seconds)
        self._show()

    def action_zoom(self, step: int) -> None:
        """Closer to the cursor, or further away."""
        drawing = self._drawing
        if drawing is None:
            return
        at = page.moment_of(self._view, self._plot, self._cursor)
        span = (self._view[1] - self._view[0]) * (0.5 if step > 0 else 2.0)
        span = max(CLOSEST_S, min(span, drawing.until - drawing.since))
        low = max(drawing.since, min(at - span * self._cursor / max(self._plot - 1, 1), drawing.until - span))
        self._view = (low, low + span)
        self._cursor = page.cell_of(self._view, self._plot, at)
        self._show()

    def on_mouse_scroll_up(self, event: events.MouseScrollUp) -> None:
        if event.ctrl:
            self.action_zoom(1)

    def on_mouse_scroll_down(self, event: events.MouseScrollDown) -> None:
        if event.ctrl:
            self.action_zoom(-1)

    def action_switch(self, step: int) -> None:
        """The next failover of this pair, or the one before."""
        if self.stomion.current is None:
            return
        wanted = self._number + step
        if not 0 <= wanted < switch_count(self.stomion.current):
            self.notify("There is no other switch of this pair.")
            return
        self._number = wanted
        self.refresh_page()

    def action_interval(self, step: int) -> None:
        """What if peer detection probed more or less often."""
        found = self._tried or (self._drawing.prediction if self._drawing is not None else None)
        if found is None:
            self.notify("No peer detection is declared here: there are no timers to try.")
            return
        wider = [i for i in INTERVALS if i > found.interval_s]
        closer = [i for i in INTERVALS if i < found.interval_s]
        chosen = (wider[:1] if step > 0 else closer[-1:]) or [found.interval_s]
        self._tried = found.with_timers(chosen[0], self._tries(found))
        self._show()

    def action_tries(self, step: int) -> None:
        """What if it gave up sooner or later."""
        found = self._tried or (self._drawing.prediction if self._drawing is not None else None)
        if found is None:
            self.notify("No peer detection is declared here: there are no timers to try.")
            return
        self._tried = found.with_timers(found.interval_s, max(1, min(self._tries(found) + step, MOST_TRIES)))
        self._show()

    @staticmethod
    def _tries(found: Prediction) -> int:
        return found.tries or 1
