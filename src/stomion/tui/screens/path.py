"""A packet's way through both gateways; rules can be moved or switched off to see which packets that would change."""

from __future__ import annotations

from dataclasses import replace

from textual import on
from textual.app import ComposeResult
from textual.widgets import Input

from stomion.diagnosis.flows import Flow, Flows, flows_of
from stomion.diagnosis.trial import Change, differences, moved, with_tables, without
from stomion.exchange.picture import LanTest, Picture
from stomion.jobs.flowtext import parse_flow
from stomion.tui.keymap import bindings
from stomion.tui.pages import path as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines


class PathScreen(Page):
    place = "path"
    BINDINGS = bindings("path")
    CSS = "#way { height: 1fr; }"

    def __init__(self) -> None:
        super().__init__()
        self._of = ""
        self._read = 0
        self._flow = 0
        self._typed: list[LanTest] = []
        self._tried: list[tuple[Picture, Change]] = []
        self._flows: Flows | None = None
        self._built: page.Built = []

    def content(self) -> ComposeResult:
        yield Lines(id="way")
        yield Input(
            placeholder="a flow: 10.64.0.9 > 10.96.0.10 tcp/80; Enter walks it, Escape leaves",
            id="flow",
            classes="hidden-input",
        )

    def on_mount(self) -> None:
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        if self._flows is None:
            return self.stomion.trail(self.place), []
        failed = sum(1 for f in self._flows.flows if f.failed)
        text = f"{failed} of {len(self._flows.flows)} flows fail" if failed else f"{len(self._flows.flows)} flows"
        return self.stomion.trail(self.place), [(text, "change" if failed else "muted")]

    def _picture(self) -> Picture | None:
        if self._tried:
            return self._tried[-1][0]
        diagnosis = self.stomion.current
        return replace(diagnosis.picture, expected=[*diagnosis.picture.expected, *self._typed]) if diagnosis else None

    def fill(self) -> None:
        lines = self.query_one(Lines)
        diagnosis = self.stomion.current
        if diagnosis is None:
            lines.show(2, lambda row, _w: [("  No tunnel is chosen.", "muted")] if row else [])
            return
        if (diagnosis.picture.name, id(self.stomion.examined)) != (self._of, self._read):
            self._of, self._read, self._tried, self._typed = diagnosis.picture.name, id(self.stomion.examined), [], []
            self._flow = -1
        picture = self._picture()
        assert picture is not None
        self._flows = flows_of(picture)
        if self._flows is None:
            says = (
                "No tables of either end are among the evidence: routes, translations and filters, from a sheet or from the system.",
            )
            lines.show(2, lambda row, _w: [("  " + says[0], "muted")] if row else [])
            return
        found = self._flows.flows
        if self._flow < 0:
            self._flow = next((i for i, f in enumerate(found) if f.failed and f.broken is not None), 0)
        flow: Flow | None = found[self._flow] if self._flow < len(found) else None
        self._built = page.page(
            picture, self._flows, flow, (self._flow, len(found)), self.size.width, self._trial(picture)
        )
        built = self._built
        stops = [i for i, (_, s) in enumerate(built) if s is not None]
        row = lines.row if lines.row in stops else stops[-1] if stops else 0
        lines.show(len(built), lambda r, _w: built[r][0], row=row, stops=lambda r: built[r][1] is not None)

    def _trial(self, picture: Picture) -> page.Trial | None:
        diagnosis = self.stomion.current
        if not self._tried or diagnosis is None:
            return None
        return page.Trial(tuple(c for _, c in self._tried), tuple(differences(diagnosis.picture, picture)))

    def _stop(self) -> page.Stop | None:
        row = self.query_one(Lines).row
        return self._built[row][1] if 0 <= row < len(self._built) else None

    def action_flow(self, step: int) -> None:
        """The next or previous tested flow."""
        count = len(self._flows.flows) if self._flows is not None else 0
        if count:
            self._flow = (self._flow + step) % count
            self.refresh_page()

    def action_type(self) -> None:
        box = self.query_one(Input)
        box.add_class("open")
        box.focus()

    @on(Input.Submitted)
    def typed(self, event: Input.Submitted) -> None:
        diagnosis = self.stomion.current
        if diagnosis is None or not event.value.strip():
            self.close_filter()
            return
        found = parse_flow(event.value, diagnosis.picture)
        if isinstance(found, str):
            self.notify(found, severity="error", markup=False)
            return
        self._typed.append(found)
        self._tried = []
        self.close_filter()
        self.refresh_page()
        if self._flows is not None:
            self._flow = len(self._flows.flows) - 1
            self.refresh_page()

    def close_filter(self) -> bool:
        """Escape: leave the flow's line. True where it was open."""
        box = self.query_one(Input)
        was = box.has_class("open")
        box.remove_class("open")
        box.value = ""
        self.query_one(Lines).focus()
        return was

    def action_shift(self, step: int) -> None:
        """Move the rule under the cursor up or down, in the picture only."""
        self._try(lambda tables, stop, number: moved(tables, stop.chain, number, step))

    def action_off(self) -> None:
        """Switch the rule under the cursor off, in the picture only."""
        self._try(lambda tables, stop, number: without(tables, stop.chain, number))

    def _try(self, change: object) -> None:
        stop, picture = self._stop(), self._picture()
        if stop is None or stop.rule is None or not stop.chain or picture is None:
            self.notify("There is no rule under the cursor; go to a decision that names one.")
            return
        end = picture.ends[stop.side]
        assert end.tables is not None and callable(change)
        found = change(end.tables, stop, stop.rule.number)
        if found is None:
            self.notify("The rule can't go further.")
            return
        tables, words = found
        self._tried.append((with_tables(picture, end, tables), Change(end.title, words)))
        self.refresh_page()

    def action_undo(self) -> None:
        """Take the last change back."""
        if not self._tried:
            self.notify("Nothing was changed here.")
            return
        self._tried.pop()
        self.refresh_page()

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        stop = self._stop()
        if stop is not None and stop.where is not None and stop.where.file:
            self.stomion.open_place(stop.where)

    def copied(self) -> str:
        if self._tried:
            return "\n".join(f"{c.site}: {c.words}" for _, c in self._tried)
        return "\n".join("".join(text for text, _ in line).rstrip() for line, stop in self._built if stop is not None)
