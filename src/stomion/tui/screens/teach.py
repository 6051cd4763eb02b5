"""Teach a line: its wording with gaps, what it says, and at once how many other lines that would understand."""

from __future__ import annotations

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Vertical
from textual.screen import ModalScreen
from textual.widgets import Input, Label, Select

from stomion.errors import Malformed
from stomion.ingest.textfile import TextFile
from stomion.jobs.teaching import count_matches, events_to_choose, phrase, template_of
from stomion.logs.learning import Learned
from stomion.logs.phrasebook import GAPS, Phrase
from stomion.tui.goingon import GoesOn


class TeachScreen(GoesOn, ModalScreen[Phrase | None]):
    """Gives back the phrase to save, or None."""

    BINDINGS = [
        Binding("escape", "dismiss(None)", "cancel", show=False),
        Binding("ctrl+s", "save", "save", show=False),
    ]
    CSS = """
    TeachScreen { align: center middle; background: $background 60%; }
    #box { width: 90%; max-width: 140; height: auto; padding: 1 2; background: $panel; }
    #box Label { width: 1fr; margin: 0 0 1 0; }
    #state { color: $success; }
    #state.wrong { color: $error; }
    """

    def __init__(self, line: str, source: TextFile, text: str = "", learned: Learned | None = None) -> None:
        super().__init__()
        self._learned = learned
        self._line, self._source, self._text = line, source, text or template_of(line)
        self._phrase: Phrase | None = None

    def compose(self) -> ComposeResult:
        with Vertical(id="box"):
            yield Label("Teach this line", markup=False)
            yield Label(self._line[:400], markup=False)
            yield Input(self._text, id="text")
            yield Label("Gaps: " + " ".join("{" + name + "}" for name in GAPS), markup=False)
            yield Select(
                [(name, name) for name in events_to_choose()],
                prompt="what it says",
                id="says",
                value=self._learned.what.value if self._learned is not None else Select.NULL,
            )
            yield Select(
                [("this gateway's own deed", "own"), ("what the peer decided", "far")],
                value="far" if self._learned is not None and self._learned.far else "own",
                allow_blank=False,
                id="by",
            )
            yield Label("", id="state", markup=False)
            yield Label("ctrl+s saves it to the case's phrasebook, esc leaves all as it is", markup=False)

    def on_mount(self) -> None:
        # Most wordings are right as they stand: what is left to say is what they mean, which is found by typing its first letters.
        says = self.query_one("#says", Select)
        says.focus()
        says.expanded = self._learned is None
        self._judge()

    @on(Input.Changed)
    @on(Select.Changed)
    def _judge(self) -> None:
        """Build the phrase anew and say what it would understand."""
        says, by = self.query_one("#says", Select).value, self.query_one("#by", Select).value
        state = self.query_one("#state", Label)
        self._phrase = None
        try:
            chosen = str(says) if says in events_to_choose() else events_to_choose()[0]
            found = phrase(self.query_one("#text", Input).value, chosen, str(by))
        except Malformed as error:
            state.set_class(True, "wrong")
            state.update(error.what + (f"; {error.expected} expected" if error.expected else ""))
            return
        count = count_matches(self._source, found)
        fits = found.match(self._line) is not None
        ready = fits and says in events_to_choose()
        self._phrase = found if ready else None
        state.set_class(not ready, "wrong")
        what = f"fits {count} line{'s' if count != 1 else ''} of this source"
        state.update(what if ready else f"{what}; choose what it says" if fits else f"{what}, but not this one")

    def action_save(self) -> None:
        if self._phrase is not None:
            self.dismiss(self._phrase)
