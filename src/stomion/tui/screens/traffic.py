"""Who was to reach whom and what was seen: a matrix whose cells open their tests, running pings, and the ladder near to far."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult

from stomion.diagnosis.runner import Diagnosis
from stomion.model.provenance import Provenance
from stomion.tui.keymap import bindings
from stomion.tui.pages import traffic as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines
from stomion.views.traffic import TrafficDrawing, traffic_of
from stomion.whatif.needed import Needs, needs_of

DETAIL = 8
"""Lines of the pane that spells a cell out."""


class TrafficScreen(Page):
    place = "traffic"
    BINDINGS = bindings("traffic")
    CSS = """
    #traffic { height: 1fr; }
    #cell { height: 1fr; min-height: 1; border-top: solid $panel; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._drawing: TrafficDrawing | None = None
        self._built: page.Built = []
        self._detail: list[tuple[Line, Provenance]] = []
        self._of = ""
        self._needs: Needs | None = None
        self._needs_of: Diagnosis | None = None
        self._column = 0

    def content(self) -> ComposeResult:
        yield Lines(id="traffic")
        yield Lines(id="cell", cursor=False)

    def on_mount(self) -> None:
        self.query_one("#traffic", Lines).focus()

    def above(self) -> tuple[Line, Line]:
        return self.stomion.trail(self.place), [(self.stomion.position(), "muted")]

    def fill(self) -> None:
        diagnosis = self.stomion.current
        lines = self.query_one("#traffic", Lines)
        if diagnosis is None:
            lines.show(2, lambda row, _w: [("  No tunnel is chosen.", "muted")] if row else [])
            return
        fresh = diagnosis.picture.name != self._of
        if fresh:
            self._of, self._column = diagnosis.picture.name, 0
        drawing = self._drawing = traffic_of(diagnosis)
        if diagnosis is not self._needs_of:
            self._needs_of, self._needs = diagnosis, needs_of(diagnosis.picture)
        if not (drawing.matrices or drawing.strips or any(r.fares for _, rungs in drawing.ladders for r in rungs)):
            said: list[Line] = [
                [],
                [("  Nothing was tried between the two LANs, and case.toml expects nothing.", "!strong")],
                [
                    (
                        "  Copy what a ping or a connection test says into a text file of its site: it is read as it is.",
                        "muted",
                    )
                ],
                [("  o lists what to fetch, and from whom.", "muted")],
            ]
            self._built = [(line, page.Item()) for line in said]
            lines.show(len(said), lambda row, _w: said[row], stops=lambda _row: False)
            self._spell()
            return
        self._show(0 if fresh else None)

    def _show(self, row: int | None = None) -> None:
        if self._drawing is None:
            return
        lines = self.query_one("#traffic", Lines)
        built = self._built = page.page(self._drawing, self.size.width - 1, self._column, self._needs)
        lines.show(
            len(built),
            lambda r, _w: built[r][0],
            row=row,
            stops=lambda r: built[r][1].matrix is not None or built[r][1].place is not None,
        )
        self._spell()

    def _spell(self) -> None:
        """The cell under the cursor in words."""
        lines = self.query_one("#traffic", Lines)
        item = self._built[lines.row][1] if 0 <= lines.row < len(self._built) else page.Item()
        rows = (
            page.detail(item.matrix, item.source, self._column, self.size.width - 1) if item.matrix is not None else []
        )
        self._detail = rows
        below = self.query_one("#cell", Lines)
        height = min(DETAIL, max(2, len(rows) + 1))
        lines.styles.height = max(3, min(len(self._built) + 1, self.size.height - 2 - height))
        below.show(len(rows), lambda r, _w: rows[r][0])

    @on(Lines.Moved)
    def moved(self, event: Lines.Moved) -> None:
        if event.lines.id == "traffic":
            self._spell()

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        if event.lines.id != "traffic" or not 0 <= event.row < len(self._built):
            return
        place = self._detail[0][1] if self._detail else self._built[event.row][1].place
        if place is not None:
            self.stomion.open_place(place)
        else:
            self.notify("Nothing was tried here.")

    def action_run(self) -> None:
        """What case.toml expects, from the vantages it declares; the case is read again when anything was tried."""
        examined = self.stomion.examined
        if examined is None:
            return
        # Not needed before something is run.
        from stomion.tui.screens.trying import TryingScreen

        self.app.push_screen(TryingScreen(examined.evidence), self._tried)

    def _tried(self, wrote: bool | None) -> None:
        if wrote:
            self.stomion.action_reload()

    def action_column(self, step: int) -> None:
        """The target to the right or to the left."""
        most = max((len(m.targets) for m in self._drawing.matrices), default=1) if self._drawing else 1
        self._column = max(0, min(self._column + step, most - 1))
        self._show()
