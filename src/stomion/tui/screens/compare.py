"""Both ends value by value; a value can be changed to see what would follow."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult
from textual.widgets import Input

from stomion.errors import UsageError
from stomion.tui.keymap import bindings
from stomion.tui.pages import compare as page
from stomion.tui.pages.tunnel import selector_bars
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines
from stomion.views.compare import Comparison, Pair, compare
from stomion.whatif.sheets import Outcome, begun, outcome, sheets_of, tried
from stomion.whatif.workbench import Workbench

Bench = Workbench[Outcome]


class CompareScreen(Page):
    place = "compare"
    BINDINGS = bindings("compare")
    CSS = """
    #pairs { height: 1fr; }
    #detail { height: auto; max-height: 9; padding: 1 0 0 0; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._of = ""
        self._read = 0
        self._bench: Bench | None = None
        self._side = 0
        self._differing_first = False
        self._comparison: Comparison | None = None
        self._built: page.Built = []

    def content(self) -> ComposeResult:
        yield Lines(id="pairs")
        yield Lines(id="detail", cursor=False, ground="raised")
        yield Input(id="value", classes="hidden-input")

    def on_mount(self) -> None:
        self.query_one("#detail", Lines).can_focus = False
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        if self._comparison is None:
            return self.stomion.trail(self.place), []
        differing = len(self._comparison.differing)
        text = (
            f"{differing} of {len(self._comparison.pairs)} differ"
            if differing
            else "all values that must match do match"
        )
        return self.stomion.trail(self.place), [(text, "change" if differing else "proven")]

    def fill(self) -> None:
        lines = self.query_one(Lines)
        diagnosis = self.stomion.current
        if diagnosis is None:
            self._comparison = None
            lines.show(2, lambda row, _w: [("  No tunnel is chosen.", "muted")] if row else [])
            return
        picture = diagnosis.picture
        if self._bench is None or (picture.name, id(self.stomion.examined)) != (self._of, self._read):
            self._of, self._read = picture.name, id(self.stomion.examined)
            self._bench = Workbench(begun(picture), outcome)
        bench = self._bench
        tries = bench.tries if any(t.changes for t in bench.tries) else []
        trials = [page.Trial(t, bench.work_out(t) if t.changes else None) for t in tries]
        self._comparison = compare(bench.picture if bench.trying else picture)
        self._built = page.page(
            self._comparison, picture, self.size.width, self._side, self._differing_first, trials, bench.at
        )
        built = self._built
        first = next((i for i, (_, p) in enumerate(built) if p is not None), 0)
        frame = page.frame_of(self._comparison, self.size.width)

        def line_at(row: int, _width: int) -> Line:
            line, pair = built[row]
            return page.pair_line(pair, frame, self._side, True) if pair is not None and row == lines.row else line

        lines.show(
            len(built), line_at, row=lines.row if lines.row > 0 else first, stops=lambda r: built[r][1] is not None
        )
        self._detail()

    def _detail(self) -> None:
        """Below: what the values of the chosen row rest on, and the drawing of the ranges where they differ."""
        pair, diagnosis = self._pair(), self.stomion.current
        foot = self.query_one("#detail", Lines)
        if pair is None or diagnosis is None:
            foot.show(0, lambda _r, _w: [])
            return
        width = self.size.width
        built = page.detail(pair, diagnosis.picture, width)
        finding = diagnosis.first_fault
        if pair.group == "selectors" and finding is not None and not self._trying:
            built += selector_bars(diagnosis, finding, width)
        foot.styles.height = min(9, len(built) + 1)
        foot.show(len(built), lambda row, _w: built[row])

    @on(Lines.Moved)
    def moved(self, event: Lines.Moved) -> None:
        if event.lines.id == "pairs":
            self._detail()

    def _pair(self) -> Pair | None:
        row = self.query_one(Lines).row
        return self._built[row][1] if 0 <= row < len(self._built) else None

    def action_side(self, side: int) -> None:
        self._side = side
        self.refresh_page()

    def action_differing(self) -> None:
        """Differing rows first, or all in their working order."""
        self._differing_first = not self._differing_first
        self.refresh_page()

    @on(Lines.Chosen)
    def edit(self, event: Lines.Chosen) -> None:
        """Change the value under the cursor, at the end whose page is chosen, to see what follows."""
        pair = self._pair()
        if pair is None:
            return
        value = (pair.left, pair.right)[self._side]
        assert self.stomion.current is not None
        box = self.query_one(Input)
        end = self.stomion.current.picture.ends[self._side]
        box.placeholder = f"{pair.name} at {end.title}: what if it were …; Enter tries, Escape leaves it"
        box.value = "" if value.text == "none" else value.text
        box.add_class("open")
        box.focus()

    @on(Input.Submitted)
    def submitted(self, event: Input.Submitted) -> None:
        pair, diagnosis = self._pair(), self.stomion.current
        if pair is None or diagnosis is None:
            return
        assert self._bench is not None
        key, name = (pair.left, pair.right)[self._side].key, page.full_name(pair)
        try:
            self._bench.change(lambda attempt: tried(attempt, self._side, key, event.value, name))
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)
            return
        self.close_filter()

    def close_filter(self) -> bool:
        """Escape: leave the value as it is. True where one was being changed."""
        box = self.query_one(Input)
        was = box.has_class("open")
        box.remove_class("open")
        self.query_one(Lines).focus()
        if was:
            self.refresh_page()
        return was

    @property
    def _trying(self) -> bool:
        return self._bench is not None and self._bench.trying

    def action_bench(self, what: str) -> None:
        """Undo, redo, another, next or drop."""
        self.at_bench(self._bench, what)
        self.refresh_page()

    def action_save(self) -> None:
        """Write the tried sheets beside what is derived from the case; the user's own are never changed."""
        diagnosis, examined = self.stomion.current, self.stomion.examined
        bench = self._bench
        if bench is None or not bench.trying or diagnosis is None or examined is None:
            self.notify("Nothing was changed, so there is nothing to save.")
            return
        from stomion.jobs.sheets import save_tried

        written = []
        for end, first, now in zip(
            diagnosis.picture.ends, sheets_of(bench.base), sheets_of(bench.picture), strict=True
        ):
            if first == now:
                continue
            try:
                written.append(str(save_tried(examined.evidence.root, end.sheet_file, end.site, now)))
            except UsageError as error:
                self.notify(str(error), severity="error", markup=False)
                return
        self.notify("Saved: " + ", ".join(written), markup=False)

    def action_handover(self) -> None:
        """Write everything that the end of the chosen page must set, for its engineer."""
        from stomion.jobs.handover import write_beside

        diagnosis, examined = self.stomion.current, self.stomion.examined
        if diagnosis is None or examined is None:
            return
        site = diagnosis.picture.ends[self._side].site
        try:
            self.notify(f"Written: {write_beside(examined, diagnosis.picture.name, site)}", markup=False)
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)

    def copied(self) -> str:
        pair, diagnosis = self._pair(), self.stomion.current
        if pair is None or diagnosis is None:
            return ""
        ends = diagnosis.picture.ends
        values = [f"{e.title} {v.text or 'not known'}" for e, v in zip(ends, (pair.left, pair.right), strict=True)]
        return f"{diagnosis.picture.name} · {pair.name}: {', '.join(values)} ({page.verdict_words(pair)})"
