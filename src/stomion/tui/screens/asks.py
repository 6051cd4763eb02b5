"""What to fetch next, for one tunnel: a list to copy or to write down, for the colleague at the far end and for the provider."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.binding import Binding
from textual.screen import ModalScreen

from stomion.diagnosis.runner import Diagnosis
from stomion.errors import UsageError
from stomion.jobs.asking import write_asks
from stomion.tui.goingon import GoesOn
from stomion.tui.spans import Line, paragraph
from stomion.tui.widgets.lines import Lines
from stomion.views.asks import Ask, asks_of, asks_text

NOTHING = "Nothing has to be fetched: what is there decides."


class AsksScreen(GoesOn, ModalScreen[None]):
    BINDINGS = [
        Binding("escape,q,o", "dismiss", "close", show=False),
        Binding("c", "copy", "copy the list", show=False),
        Binding("x", "write", "write the list beside the case", show=False),
    ]
    CSS = """
    AsksScreen { align: center middle; background: $background 60%; }
    #asks { width: 92; max-width: 96%; height: auto; max-height: 90%; padding: 1 2; background: $panel; }
    """

    def __init__(self, diagnosis: Diagnosis, root: str) -> None:
        super().__init__()
        self._diagnosis, self._root = diagnosis, root
        self._asks = asks_of(diagnosis)

    def compose(self) -> ComposeResult:
        yield Lines(id="asks", cursor=False, ground="raised")

    def on_mount(self) -> None:
        self._fill()
        self.query_one(Lines).focus()

    def on_resize(self) -> None:
        self._fill()

    def _fill(self) -> None:
        lines = self.query_one(Lines)
        built = page(self._diagnosis.picture.name, self._asks, min(92, self.size.width * 96 // 100) - 6)
        lines.styles.height = min(len(built) + 2, self.size.height * 9 // 10)
        lines.show(len(built), lambda row, _w: built[row])

    def action_copy(self) -> None:
        if not self._asks:
            self.notify(NOTHING)
            return
        self.app.copy_to_clipboard(asks_text(self._asks))
        self.notify(f"Copied: {len(self._asks)} requests")

    def action_write(self) -> None:
        try:
            self.notify(f"Written: {write_asks(self._root, self._diagnosis)}", markup=False)
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)


def page(name: str, asks: tuple[Ask, ...], width: int) -> list[Line]:
    """The list as lines: by whom it is asked of, in the order of the stages."""
    keys = "c copies the list, x writes it beside the case, esc closes this." if asks else "esc closes this."
    built: list[Line] = [[(f"What to fetch next for {name}", "!strong")], [(keys, "muted")], []]
    if not asks:
        return [*built, [(NOTHING, "plain")]]
    for whom in dict.fromkeys(a.whom for a in asks):
        built.append([(f"Ask {whom}", "!source")])
        for ask in (a for a in asks if a.whom == whom):
            first, *rest = paragraph(ask.text, "plain", width - 12, 0)
            built.append([(f"{ask.stage.value:<12}", "muted"), *first])
            built += [[(" " * 12, "plain"), *line] for line in rest]
        built.append([])
    return built
