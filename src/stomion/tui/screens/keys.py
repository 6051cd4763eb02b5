"""All keys of the screen one comes from."""

from __future__ import annotations

from textual.app import ComposeResult
from textual.binding import Binding
from textual.screen import ModalScreen

from stomion.tui.goingon import GoesOn
from stomion.tui.keymap import help_keys
from stomion.tui.spans import Line, left
from stomion.tui.widgets.lines import Lines


class KeysScreen(GoesOn, ModalScreen[None]):
    BINDINGS = [Binding("escape,q,question_mark,enter", "dismiss", "close", show=False)]
    CSS = """
    KeysScreen { align: center middle; background: $background 60%; }
    #keys { width: 64; height: auto; max-height: 90%; padding: 1 2; background: $panel; }
    """

    def __init__(self, place: str) -> None:
        super().__init__()
        self._place = place

    def compose(self) -> ComposeResult:
        yield Lines(id="keys", cursor=False, ground="raised")

    def on_mount(self) -> None:
        built: list[Line] = [[(f"Keys on the screen {self._place}", "!strong")], []]
        for key, does in help_keys(self._place):
            built.append([(left(key, 8), "source"), (does, "plain")])
        built += [[], [("ctrl+p finds every command by its name; esc closes this.", "muted")]]
        lines = self.query_one(Lines)
        lines.styles.height = len(built) + 2
        lines.show(len(built), lambda row, _w: built[row])
        lines.focus()
