"""The ladder of an attempt at the left, the chosen message as a ledger at the right."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult
from textual.containers import Horizontal

from stomion.exchange.negotiation import Negotiation, Step
from stomion.jobs.places import find_step
from stomion.model.provenance import Provenance
from stomion.tui.keymap import bindings
from stomion.tui.pages import negotiation as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines
from stomion.views.ladder import Ladder, Row, is_failure, ladder_of


class NegotiationScreen(Page):
    place = "negotiation"
    BINDINGS = bindings("negotiation")
    CSS = """
    #ladder { width: 9fr; height: 1fr; }
    #ledger { width: 11fr; height: 1fr; padding: 1 1 0 2; }
    Horizontal.narrow { layout: vertical; }
    Horizontal.narrow #ladder { width: 1fr; height: 3fr; }
    Horizontal.narrow #ledger { width: 1fr; height: 2fr; padding: 0 1 0 2; border-top: solid $panel; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._ladder: Ladder | None = None
        self._built: page.Built = []
        self._of = ""
        self._attempt = 0
        self._both_clocks = False

    def content(self) -> ComposeResult:
        with Horizontal():
            yield Lines(id="ladder")
            yield Lines(id="ledger", cursor=False)

    def on_mount(self) -> None:
        self.query_one("#ladder", Lines).focus()

    def above(self) -> tuple[Line, Line]:
        heading = self._ladder.heading if self._ladder else ""
        return self.stomion.trail(self.place), [(heading, "muted")]

    def fill(self) -> None:
        self.query_one(Horizontal).set_class(self.size.width < 130, "narrow")
        diagnosis = self.stomion.current
        lines = self.query_one("#ladder", Lines)
        if diagnosis is None:
            lines.show(2, lambda row, _w: [("  No tunnel is chosen.", "muted")] if row else [])
            return
        name = diagnosis.picture.name
        if name != self._of:
            self._of, self._attempt = name, self._telling_attempt()
        self._ladder = ladder_of(diagnosis.picture, self._attempt)
        width = self.size.width if self.size.width < 130 else self.size.width * 9 // 20
        self._built = page.ladder_lines(self._ladder, diagnosis, max(50, width), self._both_clocks)
        built = self._built
        lines.show(len(built), lambda r, _w: built[r][0], row=self._telling_row(), stops=lambda r: built[r][1] >= 0)
        self._ledger()

    def _telling_attempt(self) -> int:
        """The last attempt that was refused, where something is wrong; else the latest."""
        diagnosis = self.stomion.current
        assert diagnosis is not None
        found = diagnosis.picture.negotiations
        if diagnosis.first_fault is None:
            return max(0, len(found) - 1)
        refused = [i for i, n in enumerate(found) if n.refusal_step >= 0]
        return refused[-1] if refused else max(0, len(found) - 1)

    def _telling_row(self) -> int:
        """The message that was refused: what to look at first."""
        ladder = self._ladder
        if ladder is None or not ladder.rows:
            return 0
        wanted = next((i for i, r in enumerate(ladder.rows) if r.tone == "change"), 0)
        if wanted and ladder.rows[wanted].step is not None and ladder.rows[wanted - 1].step is not None:
            wanted -= 1
        return next((i for i, (_, row) in enumerate(self._built) if row == wanted), 0)

    def _row(self) -> Row | None:
        lines = self.query_one("#ladder", Lines)
        if self._ladder is None or not 0 <= lines.row < len(self._built):
            return None
        index = self._built[lines.row][1]
        return self._ladder.rows[index] if index >= 0 else None

    def _negotiation(self) -> Negotiation | None:
        diagnosis = self.stomion.current
        found = diagnosis.picture.negotiations if diagnosis else []
        return found[self._attempt] if self._attempt < len(found) else None

    def _ledger(self) -> None:
        diagnosis = self.stomion.current
        ledger = self.query_one("#ledger", Lines)
        if diagnosis is None:
            return
        wide = self.size.width >= 130
        width = max(40, (self.size.width * 11 // 20 if wide else self.size.width) - 5)
        built = page.ledger_lines(diagnosis, self._negotiation(), self._row(), width)
        ledger.show(len(built), lambda r, _w: built[r])

    @on(Lines.Moved)
    def moved(self, event: Lines.Moved) -> None:
        if event.lines.id == "ladder":
            self._ledger()

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        row = self._row()
        if row is not None and row.step is None and row.where is not None:
            self.stomion.open_place(row.where)
        else:
            self.query_one("#ledger", Lines).focus()

    def action_pane(self, side: int) -> None:
        self.query_one("#ledger" if side > 0 else "#ladder", Lines).focus()

    def action_clocks(self) -> None:
        self._both_clocks = not self._both_clocks
        lines = self.query_one("#ladder", Lines)
        row = lines.row
        self.refresh_page()
        lines.go(row)

    def action_attempt(self, step: int) -> None:
        diagnosis = self.stomion.current
        if diagnosis is None:
            return
        last = len(diagnosis.picture.negotiations) - 1
        wanted = max(0, min(self._attempt + step, last))
        if wanted == self._attempt:
            self.notify("There is no further attempt." if step > 0 else "This is the first attempt.")
            return
        self._attempt = wanted
        self.refresh_page()

    def action_failure(self, step: int) -> None:
        """The next row that tells of a failure: in this attempt, else in the nearest one that has any."""
        if self._ladder is None:
            return
        here = self.query_one("#ladder", Lines).row
        found = self._failures()
        ahead = [at for at in found if (at > here if step > 0 else at < here)]
        while not ahead and 0 <= self._attempt + step < self._ladder.attempts:
            self._attempt += step
            self.refresh_page()
            ahead = self._failures()
        if ahead:
            self.query_one("#ladder", Lines).go(ahead[0] if step > 0 else ahead[-1])
            self._ledger()
        else:
            self.notify("There is no further failure." if step > 0 else "There is no failure before this.")

    def _failures(self) -> list[int]:
        """Lines of the ladder on which something was refused or lost, from the wire or as a log tells it."""
        assert self._ladder is not None
        rows = self._ladder.rows
        return [at for at, (_, row) in enumerate(self._built) if row >= 0 and is_failure(rows[row])]

    def go_to(self, place: Provenance) -> bool:
        """Choose the message at a packet's place. False where the tunnel has no such message."""
        diagnosis = self.stomion.current
        found = find_step(diagnosis.picture, place) if diagnosis else None
        if diagnosis is None or found is None:
            return False
        self._of, self._attempt = diagnosis.picture.name, found[0]
        self.refresh_page()
        self._choose(found[1])
        return True

    def _choose(self, step: Step) -> None:
        assert self._ladder is not None
        row = next((i for i, r in enumerate(self._ladder.rows) if r.step is step), -1)
        at = next((i for i, (_, index) in enumerate(self._built) if index == row), -1)
        if at >= 0:
            self.query_one("#ladder", Lines).go(at)
            self._ledger()

    def copied(self) -> str:
        row = self._row()
        if row is not None and row.step is not None and self.query_one("#ledger", Lines).has_focus:
            return row.step.raw.hex(" ")
        return super().copied()
