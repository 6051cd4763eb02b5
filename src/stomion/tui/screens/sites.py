"""How the sites of the case are joined, and what takes over from what."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult

from stomion.model.finding import Status
from stomion.tui.keymap import bindings
from stomion.tui.pages import sites as page
from stomion.tui.screens.base import Page
from stomion.tui.spans import Line
from stomion.tui.widgets.lines import Lines
from stomion.views.sites import SiteRow, SitesDrawing, sites_of

FRAME = 5
"""Lines of the bars and of the columns' names."""
SMALL = 32
"""Lines of a terminal below which the sites themselves come first."""


class SitesScreen(Page):
    place = "sites"
    BINDINGS = bindings("sites")
    CSS = """
    #top, #head, #list { height: auto; }
    #foot { height: 1fr; }
    """

    def __init__(self) -> None:
        super().__init__()
        self._drawing: SitesDrawing | None = None
        self._of: object = None

    def content(self) -> ComposeResult:
        yield Lines(id="top", cursor=False)
        yield Lines(id="head", cursor=False)
        yield Lines(id="list")
        yield Lines(id="foot", cursor=False)

    def on_mount(self) -> None:
        for name in ("#top", "#head", "#foot"):
            self.query_one(name, Lines).can_focus = False
        self.query_one("#list", Lines).focus()

    def above(self) -> tuple[Line, Line]:
        count = len(self._drawing.rows) if self._drawing is not None else 0
        return self.stomion.trail(self.place), [(f"{count} sites" if count else "", "muted")]

    def fill(self) -> None:
        examined, lines = self.stomion.examined, self.query_one("#list", Lines)
        if examined is None or not examined.tunnels:
            text = (
                "Reading the evidence …"
                if examined is None
                else "No tunnel was found, and so no two sites that are joined."
            )
            self._drawing = None
            lines.show(2, lambda row, _w: [("  " + text, "muted")] if row else [])
            return
        if self._of is not examined:
            self._drawing = sites_of(examined.tunnels, examined.evidence.relations)
            self._of = examined
        drawing = self._drawing
        assert drawing is not None
        small = self.size.height < SMALL
        top = page.top(drawing, max(30, self.size.width - 4))
        top = top[:1] if small else top
        self._put("#top", top)
        cols = page.columns(drawing, self.size.width - 1)
        self._put("#head", [page.header(drawing, cols)])
        rows = drawing.rows
        lines.styles.height = max(1, min(len(rows), self.size.height - FRAME - len(top) - (4 if small else 9)))
        lines.show(len(rows), lambda row, _w: page.row(drawing, rows[row], cols), row=max(0, lines.row))
        self._foot()
        self.query_one("#above").refresh()

    def _put(self, name: str, built: list[Line]) -> None:
        lines = self.query_one(name, Lines)
        lines.styles.height = len(built) if name != "#foot" else "1fr"
        lines.show(len(built), lambda row, _w: built[row])

    @property
    def _site(self) -> SiteRow | None:
        row = self.query_one("#list", Lines).row
        return self._drawing.rows[row] if self._drawing is not None and 0 <= row < len(self._drawing.rows) else None

    def _foot(self) -> None:
        if self._drawing is not None:
            self._put("#foot", page.foot(self._drawing, self._site, max(30, self.size.width - 4)))

    @on(Lines.Moved)
    def moved(self, event: Lines.Moved) -> None:
        """What is said follows the cursor."""
        if event.lines.id == "list":
            self._foot()

    @on(Lines.Chosen)
    def chosen(self, _event: Lines.Chosen) -> None:
        """Open this site's worst tunnel."""
        site = self._site
        found = [d for cell in site.cells.values() for d in cell] if site is not None else []
        if site is not None and not found and self.stomion.examined is not None:
            found = [d for d in self.stomion.examined.tunnels if site.site in {e.site for e in d.picture.ends}]
        if found:
            worst = {status: number for number, status in enumerate(Status)}
            self.stomion.choose(min(found, key=lambda d: worst[d.status]))
            self.stomion.show("tunnel")

    def copied(self) -> str:
        """What is said of the chosen site."""
        site = self._site
        return "\n".join(say.text for say in site.says) if site is not None else ""
