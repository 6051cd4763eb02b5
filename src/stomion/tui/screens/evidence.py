"""A source as it is, with what was understood marked; a finding's proof is a place in it."""

from __future__ import annotations

from array import array
from bisect import bisect_left

from textual import on, work
from textual.app import ComposeResult
from textual.timer import Timer
from textual.widgets import Input
from textual.worker import get_current_worker

from stomion.diagnosis.runner import Diagnosis
from stomion.errors import UsageError
from stomion.ingest.textfile import TextFile
from stomion.jobs.examine import Examined
from stomion.jobs.places import events_by_line, first_failure, lines_about, open_text, telling_line, text_sources
from stomion.jobs.together import Moment, together, with_words
from stomion.model.event import Event
from stomion.tui.keymap import bindings
from stomion.tui.pages import evidence as page
from stomion.tui.spans import Line
from stomion.tui.teaching import TeachingPage
from stomion.tui.widgets.lines import Lines

FOLLOW_EVERY_S = 0.5
QUICK_S = 1.5
"""A case that was read within this time is read again by itself while a source is followed."""
VIEWS = ("source", "merged", "facing")


class EvidenceScreen(TeachingPage):
    place = "evidence"
    BINDINGS = bindings("evidence")
    CSS = """
    #text { height: 1fr; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._file = ""
        self._text: TextFile | None = None
        self._events: dict[int, Event] = {}
        self._trouble = ""
        self._wanted = 1
        self._words = ""
        self._found: array[int] | None = None
        self._watch: Timer | None = None
        self._stale = False
        self._read_from: Examined | None = None
        self._events_from: Examined | None = None
        self._view = "source"
        self._moments: list[Moment] = []
        self._of = ""
        """The tunnel whose evidence was opened last."""
        self._folded = False
        self._only: list[int] = []
        """Lines to be shown alone, once their source is there."""

    def content(self) -> ComposeResult:
        yield Lines(id="text")
        yield Input(
            placeholder="words; only lines with them are shown, Enter keeps, Escape shows all",
            id="search",
            classes="hidden-input",
        )

    def on_mount(self) -> None:
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        if self._view != "source" and self.stomion.current is not None:
            words = f" with “{self._words}”" if self._words else ""
            how = "in one column" if self._view == "merged" else "side by side"
            picture = self.stomion.current.picture
            text = f"{picture.left.title} and {picture.right.title} {how}, {len(self._moments)} moments{words}"
            return self.stomion.trail(self.place), [(text, "muted")]
        shown = f"{len(self._found)} of " if self._found is not None else ""
        if self._folded:
            shown = f"this tunnel's {shown}"
        count = (
            f"{shown}{len(self._text)} lines, {len(self._events)} understood"
            if self._text is not None
            else self._trouble
        )
        return self.stomion.trail(self.place), [(self._file, "source"), (f"  {count}", "muted")]

    def open_tunnel(self, diagnosis: Diagnosis) -> None:
        """Show the line that matters most for a tunnel, unless its evidence was looked at last."""
        name = diagnosis.picture.name
        if name == self._of:
            return
        self._of = name
        place = telling_line(diagnosis)
        if place is not None:
            self.open(place.file, place.line or 1)

    def open(self, file: str, line: int) -> None:
        """Show a file at a line; it is indexed in a thread, as it may be large."""
        self._wanted, self._view = line, "source"
        if file == self._file and self._text is not None:
            self.close_filter()
            self.query_one(Lines).go(line - 1)
            return
        self._file, self._text, self._trouble = file, None, "reading …"
        self._words, self._found, self._folded = "", None, False
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
            self._events_from = self.stomion.examined
            self.refresh_page()
            self._narrow()

    def _fill_together(self) -> None:
        """Both ends of the tunnel in one timeline, in one column or on facing pages."""
        current = self.stomion.current
        assert current is not None
        found = self._moments = with_words(together(current.picture), self._words)
        names = (current.picture.left.title, current.picture.right.title)
        lines = self.query_one(Lines)
        if not found:
            says = (
                "No line has these words. Escape shows all again."
                if self._words
                else "Nothing was understood of this tunnel yet."
            )
            lines.show(2, lambda row, _w: [("  " + says, "muted")] if row else [])
            return
        head = 1 if self._view == "facing" else 0

        def line_at(row: int, width: int) -> Line:
            if row < head:
                return page.facing_head(names, width)
            moment, before = found[row - head], found[row - head - 1] if row > head else None
            if head:
                return page.facing_line(moment, before, width)
            return page.merged_line(moment, before, names, width)

        lines.show(len(found) + head, line_at, row=max(head, lines.row), stops=lambda row: row >= head)

    def _moment(self) -> Moment | None:
        row = self.query_one(Lines).row - (self._view == "facing")
        return self._moments[row] if self._view != "source" and 0 <= row < len(self._moments) else None

    def _mine(self) -> list[int]:
        """Lines of this source that tell of the present tunnel."""
        current = self.stomion.current
        return lines_about(current.picture, self._file) if current is not None else []

    def action_fold(self) -> None:
        """Only the lines that tell of this tunnel, or all."""
        mine = self._mine()
        if self._view != "source" or not mine:
            self.notify("No line of this source tells of the present tunnel.")
            return
        self._folded = not self._folded
        self._found = array("L", mine) if self._folded else None
        self.refresh_page()

    def action_view(self) -> None:
        """One source, both ends in one column, both ends side by side."""
        if self.stomion.current is None:
            self.notify("No tunnel is chosen: there are no two ends to show together.")
            return
        here = (self._file, self._wanted)
        self._view = VIEWS[(VIEWS.index(self._view) + 1) % len(VIEWS)]
        self.refresh_page()
        lines = self.query_one(Lines)
        if self._view == "source":
            lines.go(self._row_of(self._wanted))
        else:
            near = next((i for i, m in enumerate(self._moments) if (m.where.file, m.where.line) == here), 0)
            lines.go(near + (self._view == "facing"))

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        """In the views of both ends: go to the place itself."""
        moment = self._moment()
        if moment is not None:
            self.stomion.open_place(moment.where)

    def fill(self) -> None:
        if self._view != "source" and self.stomion.current is not None:
            self._fill_together()
            return
        lines = self.query_one(Lines)
        if not self._file and self.stomion.examined is not None:
            sources = text_sources(self.stomion.examined)
            if sources:
                self.open(sources[0], 1)
                return
        if (
            self.stomion.examined is not self._events_from
            and self.stomion.examined is not None
            and self._text is not None
        ):
            self._events_from = self.stomion.examined
            self._events = events_by_line(self._events_from, self._file)
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
        mine = frozenset(self._mine())
        shown = self._found
        count = len(text) if shown is None else len(shown)

        def line_at(row: int, width: int) -> Line:
            number = row + 1 if shown is None else shown[row]
            other = bool(mine) and number not in mine
            return page.text_line(number, digits, text.line(number), self._events.get(number), width, other=other)

        if not count:
            lines.show(
                2, lambda row, _w: [("  No line has these words. Escape shows all again.", "muted")] if row else []
            )
            return
        lines.show(count, line_at, row=self._row_of(self._wanted))

    def _row_of(self, number: int) -> int:
        """The row of a line, or of the nearest one that the filter lets through."""
        if self._found is None:
            return number - 1
        return min(bisect_left(self._found, number), len(self._found) - 1)

    def _line_of(self, row: int) -> int:
        return row + 1 if self._found is None else self._found[row] if row < len(self._found) else self._wanted

    @on(Lines.Moved)
    def moved(self, event: Lines.Moved) -> None:
        if self._view != "source":
            return
        self._wanted = self._line_of(event.row)

    def action_mark(self, step: int) -> None:
        if self._view != "source":
            self.query_one(Lines).action_move(step)
            return
        here = self._wanted
        marks = sorted(self._events)
        found = [m for m in marks if (m > here if step > 0 else m < here)]
        if self._found is not None:
            found = [m for m in found if m in set(self._found)]
        if found:
            self.query_one(Lines).go(self._row_of(found[0] if step > 0 else found[-1]))
        else:
            self.notify("No further line was understood here.")

    def action_teach(self) -> None:
        """Teach the line under the cursor, unless it is understood already or there is none."""
        text = self._text
        if text is None or not text.line(self._wanted).strip():
            self.notify("There is no line to teach here.")
            return
        self.teach(text.line(self._wanted), text)

    def action_wordings(self) -> None:
        """The lines of this source by their wordings."""
        if self._text is None:
            self.notify("There is no source to sort by its wordings.")
            return
        self.stomion.show_wordings(self._file)

    def open_lines(self, file: str, numbers: list[int]) -> None:
        """Show these lines of a source alone; Escape shows all of it."""
        self.open(file, numbers[0])
        self._only = numbers
        self._narrow()

    def _narrow(self) -> None:
        if self._only and self._text is not None:
            self._found, self._only = array("L", self._only), []
            self.refresh_page()

    def taught_anew(self) -> None:
        self._text, self._stale, self._read_from = None, True, self.stomion.examined

    def action_source(self, step: int) -> None:
        examined = self.stomion.examined
        sources = text_sources(examined) if examined else []
        if sources:
            at = sources.index(self._file) if self._file in sources else -step
            file = sources[(at + step) % len(sources)]
            current = self.stomion.current
            place = first_failure(current.picture, file) if current is not None else None
            self.open(file, (place.line or 1) if place is not None else 1)

    def action_filter(self) -> None:
        box = self.query_one(Input)
        box.add_class("open")
        box.focus()

    @on(Input.Changed)
    def typed(self, event: Input.Changed) -> None:
        self._words = event.value
        if self._view != "source":
            self.refresh_page()
        elif self._text is not None:
            self._look_for(self._text, event.value)

    @on(Input.Submitted)
    def kept(self, event: Input.Submitted) -> None:
        self.query_one(Input).remove_class("open")
        self.query_one(Lines).focus()

    @work(thread=True, exclusive=True, group="filter")
    def _look_for(self, text: TextFile, words: str) -> None:
        worker = get_current_worker()
        found = text.lines_with(words, lambda: worker.is_cancelled) if words else None
        if not worker.is_cancelled:
            self.app.call_from_thread(self._filtered, words, found)

    def _filtered(self, words: str, found: array[int] | None) -> None:
        if words == self._words:
            self._found = found
            self.refresh_page()

    def close_filter(self) -> bool:
        """Escape: show all lines again, the cursor where it is. True where there was a filter."""
        box = self.query_one(Input)
        was = box.has_class("open") or self._found is not None or bool(self._words)
        box.remove_class("open")
        self._words, self._found, self._folded = "", None, False
        with self.prevent(Input.Changed):
            box.value = ""
        self.query_one(Lines).focus()
        if was:
            self.refresh_page()
        return was

    def action_follow(self) -> None:
        """Watch the source for lines that are added; again to stop."""
        if self._watch is not None:
            self._watch.stop()
            self._watch = None
            self.notify("No longer following.")
        else:
            self._watch = self.set_interval(FOLLOW_EVERY_S, self._grown)
            self.notify("Following: new lines are shown and judged as they come.")

    def _grown(self) -> None:
        text = self._text
        if text is None:
            return
        before = len(text)
        try:
            after = text.grow()
        except OSError:
            return
        if after != before:
            if self._wanted >= before:
                self._wanted = after
            self.refresh_page()
            self._judge_again()

    def _judge_again(self) -> None:
        """Read the case again for the new lines, where that is quick; a large one waits for the key."""
        if self.stomion.read_seconds <= QUICK_S:
            self.stomion.action_reload()

    def copied(self) -> str:
        moment = self._moment()
        if moment is not None:
            return f"{moment.clock} {moment.text}"
        return self._text.line(self._wanted) if self._text is not None else ""
