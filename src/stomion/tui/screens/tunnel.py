"""One tunnel: both ends facing along the seam, what is wrong, what to change, and the proof."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult

from stomion.jobs.places import texts_at
from stomion.model.finding import Stage
from stomion.tui.keymap import bindings
from stomion.tui.pages import tunnel as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines

_NEGOTIATED = (Stage.UNDERLAY, Stage.IKE, Stage.CHILD, Stage.SELECTORS)


class TunnelScreen(Page):
    place = "tunnel"
    BINDINGS = bindings("tunnel")
    CSS = "#page { height: 1fr; }"

    def __init__(self) -> None:
        super().__init__()
        self._built: page.Built = []
        self._of = ""

    def content(self) -> ComposeResult:
        yield Lines(id="page")

    def on_mount(self) -> None:
        self.query_one(Lines).focus()

    def above(self) -> tuple[Line, Line]:
        return self.stomion.trail(self.place), [(self.stomion.position(), "muted")]

    def fill(self) -> None:
        lines = self.query_one(Lines)
        diagnosis = self.stomion.current
        self._built = []
        if diagnosis is None:
            lines.show(2, lambda row, _w: [("  No tunnel is chosen.", "muted")] if row else [])
            return
        shown = self.stomion.finding
        places = (
            diagnosis.findings[shown].evidence if shown < len(diagnosis.findings) else page.standing_proof(diagnosis)
        )
        self._built = page.page(diagnosis, max(60, self.size.width), shown, texts_at(diagnosis.picture, places))
        built = self._built
        key = f"{diagnosis.picture.name}/{shown}"
        row = lines.row if key == self._of else self._first_row()
        self._of = key
        lines.show(len(built), lambda r, _w: built[r][0], row=row, stops=lambda r: _is_stop(built[r][1]))

    def _first_row(self) -> int:
        """The stage of the finding shown, or the first stage."""
        diagnosis = self.stomion.current
        assert diagnosis is not None
        wanted = diagnosis.findings[self.stomion.finding].stage if diagnosis.findings else Stage.UNDERLAY
        return next((i for i, (_, item) in enumerate(self._built) if item.stage is wanted), 0)

    @on(Lines.Chosen)
    def chosen(self, event: Lines.Chosen) -> None:
        item = self._item(event.row)
        if item.place is not None:
            self.stomion.open_place(item.place)
        elif item.stage is not None:
            self._open_stage(item.stage)

    def _open_stage(self, stage: Stage) -> None:
        """The negotiation's stages open it; the others open the proof of what the page says of them."""
        diagnosis = self.stomion.current
        assert diagnosis is not None
        verdict = next(v for v in diagnosis.stages if v.stage is stage)
        place = verdict.where[0] or verdict.where[1]
        if stage in _NEGOTIATED:
            self.stomion.show("negotiation")
        elif place is not None:
            self.stomion.open_place(place)
        else:
            self.notify(f"There is no evidence about {stage.value} in this case.")

    def _item(self, row: int) -> page.Item:
        """What a row stands for; nothing where there is no such row."""
        return self._built[row][1] if 0 <= row < len(self._built) else page.Item()

    def copied(self) -> str:
        item = self._item(self.query_one(Lines).row)
        return str(item.place) if item.place is not None else super().copied()


def _is_stop(item: page.Item) -> bool:
    return item.stage is not None or item.place is not None
