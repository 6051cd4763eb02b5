"""Every tunnel as its seam, worst first; the chosen one's fault below."""

from __future__ import annotations

from typing import TYPE_CHECKING

from textual import on
from textual.app import ComposeResult
from textual.widgets import Input

from stomion.errors import UsageError
from stomion.tui.keymap import bindings
from stomion.tui.pages import grouped
from stomion.tui.pages import tunnels as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines
from stomion.views.chosen import FIELDS, fits
from stomion.views.seam import seam_of
from stomion.vocabulary.times import clock_text

if TYPE_CHECKING:
    from stomion.diagnosis.runner import Diagnosis
    from stomion.jobs.look import Look, Looked

FOOT = 10
"""Lines kept at least for the chosen tunnel's fault."""
FRAME = 5
"""Lines of the bars and of the stages' names."""
_EARLY = "the first tunnels, by what their sheets alone tell"


class TunnelsScreen(Page):
    place = "tunnels"
    BINDINGS = bindings("tunnels")
    CSS = """
    #head { height: 3; }
    #list { height: auto; }
    #foot { height: 1fr; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._shown: list[Diagnosis] = []
        self._rows: list[grouped.Row] = []
        self._order = grouped.ORDERS[0]
        self._words = ""
        self._then: list[Looked] = []
        """Tunnels as they stood at the last look, while they are read again."""

    def content(self) -> ComposeResult:
        yield Lines(id="head", cursor=False)
        yield Lines(id="list")
        yield Lines(id="foot", cursor=False)
        yield Input(
            placeholder=f"words of a name or a sentence; {FIELDS}; Enter keeps, Escape clears",
            id="filter",
            classes="hidden-input",
        )

    def on_mount(self) -> None:
        self.query_one("#head", Lines).can_focus = False
        self.query_one("#foot", Lines).can_focus = False
        self.query_one("#list", Lines).focus()

    def above(self) -> tuple[Line, Line]:
        examined = self.stomion.examined
        right: Line = [(self.stomion.progress, "doubt")] if self.stomion.progress else []
        if examined is not None:
            troubles = len(examined.evidence.problems) + len(examined.evidence.not_recognised)
            how = f"{self._order} · " if self._order != grouped.ORDERS[0] else ""
            right = [(how + page.summary(list(examined.tunnels), len(self._shown)), "muted")]
            if self.stomion.changed:
                right.append((f" · • {len(self.stomion.changed)} changed", "doubt"))
            if troubles:
                right.append((f" · {troubles} not read", "doubt"))
        return self.stomion.trail(self.place), right

    def fill(self) -> None:
        lines = self.query_one("#list", Lines)
        examined = self.stomion.examined
        if examined is None and self.stomion.before is not None:
            self._remembered(self.stomion.before)
            return
        if examined is None:
            lines.show(0, lambda _row, _width: [])
            # The bar above may have no room for what is being read.
            self._empty(["Reading the evidence …", self._progress()])
            return
        order = list(self.stomion.order)
        self._shown = [d for d in order if fits(d, self._words, self.stomion.changed)]
        rows = self._rows = grouped.rows_of(self._shown, self._order)
        names = max((len(e.title) for d in order for e in d.picture.ends), default=8)
        shown = self._shown

        def line_at(row: int, width: int) -> Line:
            one = rows[row]
            if isinstance(one, grouped.Heading):
                return grouped.heading_line(one, width)
            return page.row(seam_of(one), page.columns(width, names), changed=one.picture.name in self.stomion.changed)

        lines.styles.height = self._height()
        head = self.query_one("#head", Lines)
        head.show(page.HEADER_ROWS, lambda row, width: page.header(page.columns(width, names))[row])
        current = next((i for i, d in enumerate(rows) if d is self.stomion.current), 0)
        lines.show(len(rows), line_at, row=current, stops=lambda row: not isinstance(rows[row], grouped.Heading))
        if not shown:
            self._empty(self._why_empty())
        else:
            self._foot()
        self.query_one("#above").refresh()

    def _remembered(self, before: Look) -> None:
        """The tunnels as they stood at the last look, while the case is being read."""
        words = self._words.lower().split()
        rows = self._then = [t for t in before.tunnels if all(w in f"{t.name} {t.seam.says}".lower() for w in words)]
        names = max((len(n) for t in before.tunnels for n in (t.seam.left, t.seam.right)), default=8)
        head, lines = self.query_one("#head", Lines), self.query_one("#list", Lines)
        lines.styles.height = self._height(len(rows))
        head.show(page.HEADER_ROWS, lambda row, width: page.header(page.columns(width, names))[row])
        lines.show(
            len(rows), lambda row, width: page.row(rows[row].seam, page.columns(width, names)), row=max(0, lines.row)
        )
        self._remembered_foot(max(0, lines.row))
        self.query_one("#above").refresh()

    def _remembered_foot(self, row: int) -> None:
        before, foot = self.stomion.before, self.query_one("#foot", Lines)
        if before is None or not self._then:
            return
        width = max(40, self.size.width)
        self.stomion.wanted = self._then[min(row, len(self._then) - 1)].name
        then = f"as it stood at {clock_text(before.at, day=True)[:16]} UTC"
        said = (_EARLY if before.early else then) + ("; the case is being read" if self.stomion.is_reading else "")
        built: list[Line] = [[], *page.remembered_foot(self._then[min(row, len(self._then) - 1)], width)]
        built += [[], [("  ", "plain"), (said, "doubt")], [("  ", "plain"), (self._progress(), "muted")]]
        foot.show(len(built), lambda at, _width: built[at])

    def _progress(self) -> str:
        return self.stomion.progress + ("  ·  ctrl+c stops" if self.stomion.is_reading else "")

    def _height(self, count: int | None = None) -> int:
        """Rows of the list: as many as there are tunnels, as long as their chosen one's fault has room below."""
        return max(1, min(len(self._rows) if count is None else count, self.size.height - FRAME - FOOT))

    def _why_empty(self) -> list[str]:
        examined = self.stomion.examined
        assert examined is not None
        if examined.tunnels:
            return [f"No tunnel fits “{self._words}”. Escape clears the filter."]
        evidence = examined.evidence
        text = ["No tunnel was found here. A case is a folder with a sub-folder per site, and in it whatever there is:"]
        text.append("logs, captures (pcap, pcapng), tables, counters. Names do not matter, contents do.")
        text.extend(f"{p.file}: {p.text}" for p in evidence.problems[:4])
        text.extend(f"{n.file}: {n.why}" for n in evidence.not_recognised[:4])
        return text

    def _empty(self, text: list[str]) -> None:
        self.query_one("#foot", Lines).show(len(text) + 1, lambda row, _w: [("  " + (["", *text])[row], "muted")])

    def _foot(self) -> None:
        diagnosis = self.stomion.current
        foot = self.query_one("#foot", Lines)
        if diagnosis is None:
            return
        width = max(40, self.size.width)
        built = [[], *page.foot(diagnosis, width)]
        if diagnosis.picture.name in self.stomion.changed and self.stomion.before is not None:
            built += page.then(
                self.stomion.changed[diagnosis.picture.name], self.stomion.before.at, min(width - 4, 132)
            )
        if diagnosis.findings:
            from stomion.jobs.places import texts_at
            from stomion.tui.pages.tunnel import proof, selector_bars

            first = diagnosis.findings[0]
            bars = selector_bars(diagnosis, first, width)
            proof_lines = [line for line, _ in proof(first, width, texts_at(diagnosis.picture, first.evidence))]
            built += [[], *bars, *([[]] if bars else []), *proof_lines]
        for end in diagnosis.picture.ends:
            if not end.given:
                built += [[], *page.settings_lines(diagnosis, end, min(width - 4, 110), 2)]
        # The layout may not have followed yet: what is left below the list is worked out.
        built += self._neighbours(width, self.size.height - FRAME - self._height() - len(built))
        foot.show(len(built), lambda row, _width: built[row])

    def _neighbours(self, width: int, free: int) -> list[Line]:
        """What the tunnels below the chosen one say, whole, as far as lines are left."""
        at = next((i for i, d in enumerate(self._shown) if d is self.stomion.current), None)
        built: list[Line] = []
        for diagnosis in self._shown[at + 1 :] if at is not None else ():
            more = page.neighbour(diagnosis, width)
            if len(built) + len(more) + 1 > free:
                break
            built += [[], *more]
        return built

    @on(Lines.Moved)
    def moved(self, event: Lines.Moved) -> None:
        if event.lines.id != "list":
            return
        if not self._rows:
            self._remembered_foot(event.row)
            return
        one = self._rows[event.row]
        if not isinstance(one, grouped.Heading):
            self.stomion.choose(one)
            self._foot()

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        if event.lines.id != "list":
            return
        if not self._rows:
            if self._then:
                self.notify("The case is still being read.")
            return
        one = self._rows[event.row]
        if not isinstance(one, grouped.Heading):
            self.stomion.choose(one)
            self.stomion.show("tunnel")

    def action_order(self) -> None:
        """Worst first, or in groups: by cause, site, state or finding."""
        self._order = grouped.ORDERS[(grouped.ORDERS.index(self._order) + 1) % len(grouped.ORDERS)]
        self.refresh_page()
        rows = self._rows
        if rows and self.stomion.current not in rows:
            self.query_one("#list", Lines).go(0)

    def action_list(self) -> None:
        """Write the tunnels that are shown as rows of a table, in their order."""
        from stomion.jobs.rows import write_beside

        examined = self.stomion.examined
        if examined is None:
            self.notify("The case is still being read.")
            return
        try:
            where = write_beside(examined.evidence.root, self._shown)
            self.notify(f"Written: {where} ({len(self._shown):,} tunnels)", markup=False)
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)

    def action_filter(self) -> None:
        box = self.query_one(Input)
        box.add_class("open")
        box.focus()

    @on(Input.Changed)
    def typed(self, event: Input.Changed) -> None:
        self._words = event.value
        self.refresh_page()
        if self._shown and self.stomion.current not in self._shown:
            self.stomion.choose(self._shown[0])
            self.refresh_page()

    @on(Input.Submitted)
    def kept(self, event: Input.Submitted) -> None:
        self._close(keep=True)

    def _close(self, keep: bool) -> None:
        box = self.query_one(Input)
        box.remove_class("open")
        if not keep:
            box.value = ""
        self.query_one("#list", Lines).focus()

    def close_filter(self) -> bool:
        """Escape: close and clear the filter, if there is one. True where there was."""
        box = self.query_one(Input)
        if box.has_class("open") or box.value:
            self._close(keep=False)
            return True
        return False
