"""A source by its wordings: those that would decide most first, each with how often it stands there and what was understood of it."""

from __future__ import annotations

from dataclasses import replace

from textual import on, work
from textual.app import ComposeResult
from textual.worker import get_current_worker

from stomion.errors import Cancelled, UsageError
from stomion.ingest.textfile import TextFile
from stomion.jobs.examine import Examined
from stomion.jobs.learning import learn
from stomion.jobs.places import open_text, text_sources
from stomion.jobs.wordings import wordings_of
from stomion.logs.learning import Learned
from stomion.logs.templates import Template, Templates
from stomion.tui.keymap import bindings
from stomion.tui.pages import wordings as page
from stomion.tui.spans import Line
from stomion.tui.teaching import TeachingPage
from stomion.tui.widgets.lines import Lines

FOOT = 8
"""Lines for the chosen wording's places."""
FRAME = 4


class WordingsScreen(TeachingPage):
    place = "wordings"
    BINDINGS = bindings("wordings")
    CSS = """
    #head { height: 2; }
    #list { height: auto; }
    #foot { height: 1fr; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._file = ""
        self._text: TextFile | None = None
        self._found: Templates | None = None
        self._from: Examined | None = None
        self._trouble = ""
        self._learned: dict[str, Learned] = {}
        """What wordings were learned to say, by their texts."""

    def content(self) -> ComposeResult:
        yield Lines(id="head", cursor=False)
        yield Lines(id="list")
        yield Lines(id="foot", cursor=False)

    def on_mount(self) -> None:
        for name in ("#head", "#foot"):
            self.query_one(name, Lines).can_focus = False
        self.query_one("#list", Lines).focus()

    def above(self) -> tuple[Line, Line]:
        count = page.summary(self._found.found, self._found.left_out) if self._found is not None else self._trouble
        return self.stomion.trail(self.place), [(self._file, "source"), (f"  {count}", "muted")]

    def open(self, file: str) -> None:
        """Show a source; its lines are sorted in a thread, as they may be many."""
        if file != self._file:
            self._file, self._found, self._text = file, None, None
        self.refresh_page()

    def fill(self) -> None:
        examined, lines = self.stomion.examined, self.query_one("#list", Lines)
        if examined is not None and not self._file and (sources := text_sources(examined)):
            self._file = sources[0]
        if examined is not None and self._file and (self._found is None or self._from is not examined):
            self._from = examined
            self._trouble = "sorting the lines …"
            self._sort(examined, self._file)
        rows = self._rows()
        width = self.size.width
        self.query_one("#head", Lines).show(2, lambda row, _w: page.head(width) if row else [])
        lines.styles.height = max(1, min(len(rows), self.size.height - FRAME - FOOT)) if rows else 2
        if not rows:
            says = self._trouble or "There is no text here."
            lines.show(2, lambda row, _w: [("  " + says, "muted")] if row else [])
            self.query_one("#foot", Lines).show(0, lambda _row, _w: [])
            return
        learned = self._learned
        lines.show(
            len(rows), lambda row, width: page.row(rows[row], learned.get(rows[row].text), width), row=max(0, lines.row)
        )
        self._foot()

    def _rows(self) -> tuple[Template, ...]:
        return self._found.found if self._found is not None else ()

    def _chosen(self) -> Template | None:
        rows, row = self._rows(), self.query_one("#list", Lines).row
        return rows[row] if 0 <= row < len(rows) else None

    def _foot(self) -> None:
        item, text = self._chosen(), self._text
        if item is None or text is None:
            return
        learned = self._learned.get(item.text)
        built = page.foot(item, learned, [text.line(number) for number in item.lines[: page.EXAMPLES]], self.size.width)
        self.query_one("#foot", Lines).show(len(built), lambda row, _w: built[row])

    @work(thread=True, exclusive=True, group="wordings")
    def _sort(self, examined: Examined, file: str) -> None:
        worker = get_current_worker()

        def check() -> None:
            if worker.is_cancelled:
                raise Cancelled

        found, text, trouble, learned = None, None, "", list[Learned]()
        try:
            text = open_text(examined, file)
            found = wordings_of(examined, file, text, check)
            learned = learn(examined, file, text, found)
        except Cancelled:
            return
        except UsageError as error:
            trouble = str(error)
        if not worker.is_cancelled:
            self.app.call_from_thread(self._sorted, file, found, text, trouble, learned)

    def _sorted(
        self, file: str, found: Templates | None, text: TextFile | None, trouble: str, learned: list[Learned]
    ) -> None:
        if file == self._file:
            self._found, self._text, self._trouble = found, text, trouble
            self._learned = {item.text: item for item in learned}
            if found is not None:
                rows = sorted(found.found, key=lambda item: item.text not in self._learned)
                self._found = replace(found, found=tuple(rows))
            self.refresh_page()

    @on(Lines.Moved)
    def moved(self, event: Lines.Moved) -> None:
        """Another wording is chosen."""
        if event.lines.id == "list":
            self._foot()

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        """Its lines in the source."""
        item = self._chosen()
        if item is not None and event.lines.id == "list":
            self.stomion.open_lines(self._file, item.lines)

    def action_teach(self) -> None:
        """Say what the chosen wording means."""
        item, text = self._chosen(), self._text
        if item is None or text is None:
            self.notify("There is no wording to teach here.")
            return
        self.teach(text.line(item.lines[0]), text, item.text, self._learned.get(item.text))

    def action_mark(self, step: int) -> None:
        """The next wording that was not understood."""
        rows, lines = self._rows(), self.query_one("#list", Lines)
        found = [at for at, item in enumerate(rows) if not item.understood and (at - lines.row) * step > 0]
        if found:
            lines.go(found[0] if step > 0 else found[-1])
        else:
            self.notify("No further wording here that was not understood.")

    def action_source(self, step: int) -> None:
        """Another source."""
        examined = self.stomion.examined
        sources = text_sources(examined) if examined is not None else []
        if sources:
            at = sources.index(self._file) if self._file in sources else -step
            self.open(sources[(at + step) % len(sources)])

    def copied(self) -> str:
        item = self._chosen()
        return item.text if item is not None else ""
