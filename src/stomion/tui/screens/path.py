"""A packet's way through both gateways, all packets as maps, and changes tried in the picture to see which packets they change."""

from __future__ import annotations

from collections.abc import Callable

from textual import on
from textual.app import ComposeResult
from textual.widgets import Input

from stomion.errors import UsageError
from stomion.jobs.flowtext import parse_flow
from stomion.jobs.steps import write_steps
from stomion.model.tables import Tables
from stomion.tui.keymap import bindings
from stomion.tui.pages import packets, tries
from stomion.tui.pages import path as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines
from stomion.tunnel.flows import Flow, Flows, flows_of, rules_below
from stomion.tunnel.picture import Picture
from stomion.vocabulary.clean import clean
from stomion.whatif import edits
from stomion.whatif.attempt import Try
from stomion.whatif.steps import steps_text
from stomion.whatif.suggest import machines, named_place, suggestion
from stomion.whatif.tables import Outcome, Place, amiss, by_tables, outcome, same_flow, tried
from stomion.whatif.typed import parse_change, route_text, rule_text
from stomion.whatif.workbench import Workbench

FLOW, ADD, EDIT = "flow", "add", "edit"
HINTS = {
    FLOW: "a flow: 10.64.0.9 > 10.96.0.10 tcp/80; Enter walks it, Escape leaves",
    ADD: "at NAME: allow | drop | exempt | masquerade SOURCE > DESTINATION tcp/80, or route PREFIX via ADDRESS",
    EDIT: "what it would be instead; Enter tries it, Escape leaves it as it is",
}


NOTHING = (
    "No tables of either end are among the evidence: routes, translations and filters, from a sheet or from the system."
)


Bench = Workbench[Outcome]
"""What the keys of the what-ifs do, by their names in the key table."""


class PathScreen(Page):
    place = "path"
    BINDINGS = bindings("path")
    CSS = """
    #way { height: 1fr; }
    #under { height: auto; max-height: 10; padding: 1 0 0 0; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._of: tuple[str, int] = ("", 0)
        self._flow = -1
        self._column = 0
        self._asking = FLOW
        self._bench: Bench | None = None
        self._benches: dict[str, Bench] = {}
        """What is being tried, by tunnel: another tunnel's page does not lose it; reading the case again does."""
        self._flows: Flows | None = None
        self._charts: list[packets.Chart] = []
        self._drawn: tuple[Flows | None, Flows | None, int] = (None, None, 0)
        """What the charts were drawn of."""
        self._built: page.Built = []

    def content(self) -> ComposeResult:
        yield Lines(id="way")
        yield Lines(id="under", cursor=False, ground="raised")
        yield Input(id="typed", classes="hidden-input", select_on_focus=False)

    def on_mount(self) -> None:
        self.query_one("#under", Lines).can_focus = False
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        if self._flows is None:
            return self.stomion.trail(self.place), []
        count, wrong = len(self._flows.flows), sum(1 for f in self._flows.flows if amiss(f))
        text = f"{wrong or 'none'} of {count} flow{'s' if count != 1 else ''} failing" if count else "no flow"
        return self.stomion.trail(self.place), [(text, "change" if wrong else "muted")]

    def fill(self) -> None:
        diagnosis, lines = self.stomion.current, self.query_one(Lines)
        if diagnosis is None:
            self._empty("No tunnel is chosen.")
            return
        fresh = (diagnosis.picture.name, id(self.stomion.examined))
        if fresh[1] != self._of[1]:
            self._benches.clear()
        if fresh != self._of or self._bench is None:
            self._of, self._flow, self._column = fresh, -1, 0
            self._bench = self._benches.setdefault(diagnosis.picture.name, Workbench(diagnosis.picture, outcome))
        bench = self._bench
        base = flows_of(bench.base)
        if base is None:
            self._empty(NOTHING)
            return
        before = self._chosen()
        # Until a what-if is worked out beside the screen, things stand here as they are.
        self._flows = flows_of(by_tables(bench.picture)) if bench.ready else base
        assert self._flows is not None
        first = self._flow < 0
        if before is not None and not first:
            same = [i for i, f in enumerate(self._flows.flows) if same_flow(f.test, before.test)]
            self._flow = (
                same[0] if same and self._flow not in same else min(self._flow, max(0, len(self._flows.flows) - 1))
            )
        if first:
            self._flow = next((i for i, f in enumerate(self._flows.flows) if amiss(f) and f.broken is not None), 0)
        self._build(bench, base, self._flows)
        row = page.broken_row(self._built, self._chosen()) if first else lines.row
        lines.show(len(self._built), self._line_at, row=row, stops=lambda r: self._built[r][1] is not None)
        self._under()

    def _build(self, bench: Bench, base: Flows, shown: Flows) -> None:
        width, trying = self.size.width, bench.ready
        picture = bench.picture if trying else bench.base
        drawn = (base, shown if trying else None, width)
        if drawn[0] is not self._drawn[0] or drawn[1] is not self._drawn[1] or width != self._drawn[2]:
            self._charts, self._drawn = packets.charts_of(*drawn), drawn
        head = page.standing(self.stomion.current, width)
        self._built = head + page.way(picture, shown, self._chosen(), (self._flow, len(shown.flows)), width, trying)
        if any(t.changes for t in bench.tries):
            found = [bench.known(t) for t in bench.tries]
            self._built += [(line, None) for line in tries.page(bench.tries, found, bench.at, picture, width)]
        self._built += packets.page(self._charts, picture, width, bench.letter if trying else "", down=bool(head))

    def _empty(self, says: str) -> None:
        self._flows, self._built, self._charts, self._drawn = None, [], [], (None, None, 0)
        self.query_one(Lines).show(2, lambda row, _w: [("  " + says, "muted")] if row else [])
        self.query_one("#under", Lines).show(0, lambda _r, _w: [])

    def _chosen(self) -> Flow | None:
        found = self._flows.flows if self._flows is not None else ()
        return found[self._flow] if 0 <= self._flow < len(found) else None

    def _line_at(self, row: int, _width: int) -> Line:
        line, stop = self._built[row]
        chart = self._chart(stop)
        if stop is None or chart is None:
            return line
        chosen = self._column if row == self.query_one(Lines).row else -1
        return packets.row_line(chart, stop.row, chart.clamp(chosen) if chosen >= 0 else -1)

    def _chart(self, stop: page.Stop | None) -> packets.Chart | None:
        if stop is None or stop.row < 0:
            return None
        return next((c for c in self._charts if c.index == stop.index), None)

    def _stop(self) -> page.Stop | None:
        row = self.query_one(Lines).row
        return self._built[row][1] if 0 <= row < len(self._built) else None

    @on(Lines.Moved)
    def _under(self) -> None:
        """Below: the decision or the field under the cursor in full."""
        stop, foot, width = self._stop(), self.query_one("#under", Lines), self.size.width
        chart, bench = self._chart(stop), self._bench
        shown: list[Line] = []
        if stop is not None and bench is not None:
            if chart is not None:
                column = chart.clamp(self._column)
                shown = packets.field_detail(chart, stop.row, column, bench.picture, bench.letter, width)
            else:
                shown = page.step_detail(stop, bench.picture, width)
        foot.styles.height = min(10, len(shown) + 1) if shown else 0
        foot.show(len(shown), lambda row, _w: shown[row])

    def action_flow(self, step: int) -> None:
        """The next or previous flow."""
        count = len(self._flows.flows) if self._flows is not None else 0
        if count:
            self._flow = (self._flow + step) % count
            self.refresh_page()
            self.query_one(Lines).go(page.broken_row(self._built, self._chosen()))

    def action_leap(self) -> None:
        """Between the packet's way and the map."""
        here = self._stop()
        wanted = [i for i, (_, s) in enumerate(self._built) if s is not None and s.row >= 0]
        if here is not None and here.row >= 0:
            self.query_one(Lines).go(page.broken_row(self._built, self._chosen()))
        elif wanted:
            self.query_one(Lines).go(wanted[0])

    def action_column(self, step: int) -> None:
        """The next field of the map's row."""
        chart = self._chart(self._stop())
        if chart is not None:
            self._column = chart.clamp(chart.clamp(self._column) + step)
            self.query_one(Lines).refresh()
            self._under()

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        """To the line that decides."""
        stop = self._stop()
        chart = self._chart(stop)
        where = stop.where if stop is not None else None
        if stop is not None and chart is not None:
            part = packets.main_part(chart, stop.row, chart.clamp(self._column))
            where = part.share.where if part is not None else None
        if where is not None and where.file:
            self.stomion.open_place(where)
        else:
            self.notify("No line of the evidence decides this.")

    def action_type(self) -> None:
        if self._bench is None:
            self.notify("There is no tunnel here whose packets could be walked.")
            return
        self._ask(FLOW, "")

    def action_add(self) -> None:
        """A rule, a route or an exemption more, at the machine under the cursor."""
        bench, flow, stop = self._bench, self._chosen(), self._stop()
        if self._flows is None or bench is None:
            self.notify("There are no tables here to try a change in.")
            return
        place, text = self._default_place(bench.picture), ""
        found = suggestion(self._flows, flow) if flow is not None else None
        if found is not None and (stop is None or stop.place is None or stop.place == found[0]):
            place, text = found
        self._ask(ADD, f"at {place.title(bench.picture)}: {text}")

    def action_edit(self) -> None:
        """The rule or route under the cursor changed."""
        stop = self._stop()
        rule, route = (stop.rule, stop.route) if stop is not None else (None, None)
        if rule is None and route is None:
            self.notify("There is no rule or route under the cursor; go to a decision that names one.")
            return
        text = rule_text(rule) if rule is not None else route_text(route) if route is not None else None
        if text is None:
            self.notify("This rule has conditions that can't be typed here. Move it, remove it, or add another.")
            return
        self._ask(EDIT, text)

    def _ask(self, what: str, text: str) -> None:
        box = self.query_one(Input)
        self._asking = what
        box.placeholder, box.value = HINTS[what], text
        box.cursor_position = len(text)
        box.add_class("open")
        box.focus()

    @on(Input.Submitted)
    def typed(self, event: Input.Submitted) -> None:
        text = event.value.strip()
        if not text or self._bench is None:
            # The case may have been read anew meanwhile, and have no tunnel any more.
            self.close_filter()
            return
        try:
            {FLOW: self._walk, ADD: self._added, EDIT: self._edited}[self._asking](text)
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)
            return
        self.close_filter()
        self.refresh_page()

    def _walk(self, text: str) -> None:
        bench = self._bench
        assert bench is not None
        found = parse_flow(text, bench.picture)
        if isinstance(found, str):
            raise UsageError(found)
        bench.expect(found)
        flows = flows_of(by_tables(bench.picture) if bench.trying else bench.base)
        self._flow = len(flows.flows) - 1 if flows is not None else 0
        self._work()

    def _added(self, text: str) -> None:
        stop = self._stop()
        assert self._bench is not None
        place, words = named_place(text, self._bench.picture, self._default_place(self._bench.picture))
        before = stop.rule if stop is not None and stop.place == place else None
        leg = flow.broken if (flow := self._chosen()) is not None else None
        tables = place.tables(self._bench.picture)
        if leg is not None and tables is not None and any(r is before for r in rules_below(tables, leg)):
            # Beside a rule that is never asked another would not be asked either: it goes above the one that decides.
            before = leg.rule
        self._change(place, lambda tables: edits.added(tables, parse_change(words, tables), before))

    def _default_place(self, picture: Picture) -> Place:
        stop = self._stop()
        known = machines(picture)
        return stop.place if stop is not None and stop.place in known else known[0]

    def _edited(self, text: str) -> None:
        stop = self._stop()
        if stop is None or stop.place is None:
            return
        rule, route = stop.rule, stop.route
        if rule is not None:
            self._change(stop.place, lambda tables: edits.changed(tables, rule, parse_change(text, tables)))
        elif route is not None:
            self._change(stop.place, lambda tables: edits.changed_route(tables, route, parse_change(text, tables)))

    def action_shift(self, step: int) -> None:
        """Move the rule under the cursor up or down, in the picture only."""
        stop = self._stop()
        rule = stop.rule if stop is not None else None
        if stop is None or stop.place is None or rule is None:
            self.notify("There is no rule under the cursor; go to a decision that names one.")
            return
        self._attempt(stop.place, lambda tables: edits.moved(tables, rule, step))

    def action_off(self) -> None:
        """Take the rule or route under the cursor away, in the picture only."""
        stop = self._stop()
        rule, route = (stop.rule, stop.route) if stop is not None else (None, None)
        led = stop.routing_rule if stop is not None else None
        if stop is None or stop.place is None or (rule is None and route is None):
            self.notify("There is no rule or route under the cursor; go to a decision that names one.")
        elif led is not None:
            self._attempt(stop.place, lambda tables: edits.without_routing_rule(tables, led))
        elif rule is not None:
            self._attempt(stop.place, lambda tables: edits.without(tables, rule))
        elif route is not None:
            self._attempt(stop.place, lambda tables: edits.without_route(tables, route))

    def _attempt(self, place: Place, change: Callable[[Tables], edits.Edited]) -> None:
        try:
            self._change(place, change)
        except UsageError as error:
            self.notify(str(error), markup=False)
        self.refresh_page()

    def _change(self, place: Place, change: Callable[[Tables], edits.Edited]) -> None:
        assert self._bench is not None
        self._bench.change(lambda attempt: tried(attempt, place, change))
        self._work()

    def _work(self) -> None:
        """Work out what the what-ifs lead to, beside the screen: thousands of rules take seconds."""
        bench = self._bench
        waiting = bench.waiting() if bench is not None else []
        if bench is not None and waiting:
            # Keys may change the what-ifs meanwhile: the thread has its own list of those it is to work out.
            self.run_worker(
                lambda: self._worked_out(bench, waiting),
                thread=True,
                group="tries",
                exclusive=True,
                exit_on_error=False,
            )

    def _worked_out(self, bench: Bench, waiting: list[Try]) -> None:
        try:
            for attempt in waiting:
                bench.work_out(attempt)
        except Exception as error:
            self.app.call_from_thread(self._not_worked_out, error)
        self.app.call_from_thread(self.refresh_page)

    def _not_worked_out(self, error: Exception) -> None:
        text = f"What this leads to can't be worked out ({type(error).__name__}: {error}). u takes the change back."
        self.notify(clean(text), severity="error", markup=False)

    def action_bench(self, what: str) -> None:
        """Undo, redo, another, next or drop."""
        self.at_bench(self._bench, what)
        self._work()
        self.refresh_page()

    def action_steps(self) -> None:
        """Write this what-if as a list of steps, beside what is derived from the case."""
        bench, examined = self._bench, self.stomion.examined
        if bench is None or bench.current is None or examined is None:
            self.notify("Nothing was changed here, so there are no steps.")
            return
        try:
            written = write_steps(examined.evidence.root, bench.base, bench.current, bench.work_out(bench.current))
            self.notify(f"Written: {written}", markup=False)
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)

    def close_filter(self) -> bool:
        """Escape: leave what is being typed. True where something was."""
        box = self.query_one(Input)
        was = box.has_class("open")
        box.remove_class("open")
        box.value = ""
        self.query_one(Lines).focus()
        return was

    def copied(self) -> str:
        if self._bench is not None and self._bench.current is not None and self._bench.trying:
            return steps_text(self._bench.current)
        return page.copied(self._built)
