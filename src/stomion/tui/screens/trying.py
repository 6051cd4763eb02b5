"""Run what the case expects: what will be sent is shown first, the outcomes come in one by one, and each is in the case at once."""

from __future__ import annotations

from textual import work
from textual.app import ComposeResult
from textual.binding import Binding
from textual.screen import ModalScreen
from textual.worker import get_current_worker

from stomion.case.evidence import Evidence
from stomion.errors import UsageError
from stomion.jobs.trying import RECORDS, Plan, Planned, as_expected, plan_of, run_plan, writer
from stomion.tui.goingon import GoesOn
from stomion.tui.spans import Line, cut, paragraph
from stomion.tui.widgets.lines import Lines

WIDTH = 104


class TryingScreen(GoesOn, ModalScreen[bool]):
    """Closes with whether anything was written into the case."""

    BINDINGS = [
        Binding("escape,q", "leave", "stop, or close", show=False),
        Binding("x,enter", "begin", "run them", show=False),
        Binding("s", "sizes", "with the search for the largest packet, or without", show=False),
    ]
    CSS = f"""
    TryingScreen {{ align: center middle; background: $background 60%; }}
    #trying {{ width: {WIDTH}; max-width: 96%; height: auto; max-height: 90%; padding: 1 2; background: $panel; }}
    """

    def __init__(self, evidence: Evidence) -> None:
        super().__init__()
        self._evidence = evidence
        self._sizes = False
        self._plan: Plan = plan_of(evidence)
        self._done: list[tuple[Planned, dict[str, object]]] = []
        self._state = "planned"
        self._trouble = ""

    def compose(self) -> ComposeResult:
        yield Lines(id="trying", cursor=False, ground="raised")

    def on_mount(self) -> None:
        self._fill()
        self.query_one(Lines).focus()

    def on_resize(self) -> None:
        self._fill()

    def _fill(self) -> None:
        lines = self.query_one(Lines)
        built = self._page(min(WIDTH, self.size.width * 96 // 100) - 6)
        lines.styles.height = min(len(built) + 2, self.size.height * 9 // 10)
        lines.show(len(built), lambda row, _w: built[row])
        if self._state == "running":
            lines.scroll_end(animate=False)

    def _page(self, width: int) -> list[Line]:
        built: list[Line] = [[("Run what the case expects", "!strong")], [(self._keys(), "muted")], []]
        if self._trouble:
            built += [*paragraph(self._trouble, "change", width, 0), []]
        if not self._plan.tests:
            built += paragraph(
                "There is nothing to run: case.toml has to declare who tries what, with [[vantage]] and [[expect]]; "
                "stomion test --help shows how.",
                "plain", width, 0,
            )  # fmt: skip
        if self._state == "planned":
            for test in self._plan.tests:
                built += paragraph(test.says, "plain", width, 0)
        for test, record in self._done:
            built.append(outcome_line(test, record, width))
        if self._state == "planned" and self._plan.left_out:
            built += [[], [("left out", "muted")]]
            for text in self._plan.left_out:
                built += paragraph(text, "muted", width, 0)
        return built

    def _keys(self) -> str:
        if self._state == "running":
            return f"{len(self._done)} done; esc stops after the present one."
        if self._state == "done":
            return f"{len(self._done)} done, each written to {RECORDS}; esc closes this and reads the case again."
        more = "s leaves the search for sizes out" if self._sizes else "s looks for the largest packet too"
        return f"This will be sent. x runs it, {more}, esc closes this." if self._plan.tests else "esc closes this."

    def action_sizes(self) -> None:
        if self._state == "planned":
            self._sizes = not self._sizes
            self._plan = plan_of(self._evidence, sizes=self._sizes)
            self._fill()

    def action_begin(self) -> None:
        if self._state != "planned" or not self._plan.tests:
            return
        self._state = "running"
        self._fill()
        self._run_all()

    @work(thread=True, exclusive=True, group="trying")
    def _run_all(self) -> None:
        worker = get_current_worker()
        trouble = ""
        try:
            write = writer(self._evidence.root)
            for test, record in run_plan(self._plan, write, lambda: worker.is_cancelled):
                if worker.is_cancelled:
                    return
                self.app.call_from_thread(self._came, test, record)
        except UsageError as error:
            trouble = str(error)
        if not worker.is_cancelled:
            self.app.call_from_thread(self._finished, trouble)

    def _came(self, test: Planned, record: dict[str, object]) -> None:
        self._done.append((test, record))
        self._fill()

    def _finished(self, trouble: str) -> None:
        self._state, self._trouble = "done", trouble
        self._fill()

    def action_leave(self) -> None:
        if self._state == "running":
            self.workers.cancel_group(self, "trying")
            self._state = "done"
            self._fill()
            return
        self.dismiss(bool(self._done))


def outcome_line(test: Planned, record: dict[str, object], width: int) -> Line:
    """`━ quayhead/desk > 10.66.0.9 tcp/443: 1 of 1 answered`."""
    good = as_expected(record)
    size = f" with {test.size:,} bytes" if test.size else ""
    error = f", {record['error']}" if record.get("error") else ""
    wanted = "" if test.expected == "reach" else ", to be blocked"
    text = f"{test.source} > {test.to} {test.service}{size}: {record['received']} of {record['sent']} answered{error}{wanted}"
    mark = ("━ ", "proven") if good else ("┅ ", "doubt") if test.size else ("╱ ", "change")
    return [mark, (cut(text, width - 2), "plain")]
