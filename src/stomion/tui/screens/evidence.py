"""A source as it is, with what was understood marked; a finding's proof is a place in it."""

from __future__ import annotations

from textual import on, work
from textual.app import ComposeResult
from textual.widgets import Input
from textual.worker import get_current_worker

from stomion.errors import UsageError
from stomion.ingest.textfile import TextFile
from stomion.jobs.examine import Examined
from stomion.jobs.places import events_by_line, open_text, text_sources
from stomion.jobs.teaching import save_phrase
from stomion.logs.phrasebook import Phrase
from stomion.model.event import Event
from stomion.tui.keymap import bindings
from stomion.tui.pages import evidence as page
from stomion.tui.screens.base import Page
from stomion.tui.screens.teach import TeachScreen
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines


class EvidenceScreen(Page):
    place = "evidence"
    BINDINGS = bindings("evidence")
    CSS = """
    #text { height: 1fr; }
    #search { display: none; height: 3; }
    #search.open { display: block; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._file = ""
        self._text: TextFile | None = None
        self._events: dict[int, Event] = {}
        self._trouble = ""
        self._wanted = 1
        self._stale = False
        self._read_from: Examined | None = None

    def content(self) -> ComposeResult:
        yield Lines(id="text")
        yield Input(placeholder="search; Enter goes to the next line with it", id="search")

    def on_mount(self) -> None:
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        count = f"{len(self._text)} lines, {len(self._events)} understood" if self._text is not None else self._trouble
        return self.stomion.trail(self.place), [(self._file, "source"), (f"  {count}", "muted")]

    def open(self, file: str, line: int) -> None:
        """Show a file at a line; it is indexed in a thread, as it may be large."""
        self._wanted = line
        if file == self._file and self._text is not None:
            self.query_one(Lines).go(line - 1)
            return
        self._file, self._text, self._trouble = file, None, "reading …"
        self.refresh_page()
        self._load(file)

    @work(thread=True, exclusive=True, group="evidence")
    def _load(self, file: str) -> None:
        examined = self.stomion.examined
        if examined is None:
            return
        worker = get_current_worker()
        try:
            text, trouble = open_text(examined, file), ""
        except UsageError as error:
            text, trouble = None, str(error)
        events = events_by_line(examined, file)
        if not worker.is_cancelled:
            self.app.call_from_thread(self._loaded, file, text, events, trouble)

    def _loaded(self, file: str, text: TextFile | None, events: dict[int, Event], trouble: str) -> None:
        if file == self._file:
            self._text, self._events, self._trouble = text, events, trouble
            self.refresh_page()

    def fill(self) -> None:
        lines = self.query_one(Lines)
        if not self._file and self.stomion.examined is not None:
            sources = text_sources(self.stomion.examined)
            if sources:
                self.open(sources[0], 1)
                return
        if self._stale and self.stomion.examined is not self._read_from:
            self._stale = False
            self.open(self._file, self._wanted)
            return
        text = self._text
        if text is None or not len(text):
            says = self._trouble or "There is no text here."
            lines.show(2, lambda row, _w: [("  " + says, "muted")] if row else [])
            return
        digits = page.digits_for(len(text))

        def line_at(row: int, width: int) -> Line:
            return page.text_line(row + 1, digits, text.line(row + 1), self._events.get(row + 1), width)

        lines.show(len(text), line_at, row=self._wanted - 1)

    @on(Lines.Moved)
    def moved(self, event: Lines.Moved) -> None:
        self._wanted = event.row + 1

    def action_mark(self, step: int) -> None:
        here = self._wanted
        marks = sorted(self._events)
        found = [m for m in marks if (m > here if step > 0 else m < here)]
        if found:
            self.query_one(Lines).go((found[0] if step > 0 else found[-1]) - 1)
        else:
            self.notify("No further line was understood here.")

    def action_teach(self) -> None:
        """Teach the line under the cursor, unless it is understood already or there is none."""
        text = self._text
        if text is None or not text.line(self._wanted).strip():
            self.notify("There is no line to teach here.")
            return
        self.app.push_screen(TeachScreen(text.line(self._wanted), text), self._taught)

    def _taught(self, item: Phrase | None) -> None:
        examined = self.stomion.examined
        if item is None or examined is None:
            return
        try:
            path = save_phrase(examined.evidence.root, item)
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)
            return
        self.notify(f"Saved to {path}; the case is read again.", markup=False)
        self._text, self._stale, self._read_from = None, True, examined
        self.stomion.action_reload()

    def action_source(self, step: int) -> None:
        examined = self.stomion.examined
        sources = text_sources(examined) if examined else []
        if sources:
            at = sources.index(self._file) if self._file in sources else -step
            self.open(sources[(at + step) % len(sources)], 1)

    def action_filter(self) -> None:
        box = self.query_one(Input)
        box.add_class("open")
        box.focus()

    @on(Input.Submitted)
    def search(self, event: Input.Submitted) -> None:
        words = event.value.lower()
        text = self._text
        if not words or text is None:
            self.close_filter()
            return
        self._search(text, words, self._wanted)

    @work(thread=True, exclusive=True, group="search")
    def _search(self, text: TextFile, words: str, start: int) -> None:
        worker = get_current_worker()
        count = len(text)
        for step in range(1, count + 1):
            number = (start - 1 + step) % count + 1
            if worker.is_cancelled:
                return
            if words in text.line(number).lower():
                self.app.call_from_thread(self.query_one(Lines).go, number - 1)
                return
        self.app.call_from_thread(self.notify, f"“{words}” does not occur here.")

    def close_filter(self) -> bool:
        """Escape: close the search. True where it was open."""
        box = self.query_one(Input)
        was = box.has_class("open")
        box.remove_class("open")
        self.query_one(Lines).focus()
        return was

    def copied(self) -> str:
        return self._text.line(self._wanted) if self._text is not None else ""
