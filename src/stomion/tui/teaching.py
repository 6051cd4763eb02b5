"""Teaching from any screen that shows lines: the dialogue, saving, and taking back what was taught last."""

from __future__ import annotations

from stomion.errors import UsageError
from stomion.ingest.textfile import TextFile
from stomion.jobs.teaching import forget_phrase, save_phrase, taught_before
from stomion.logs.learning import Learned
from stomion.logs.phrasebook import Phrase
from stomion.tui.screens.base import Page
from stomion.tui.screens.teach import TeachScreen


class TeachingPage(Page):
    """A screen with lines that can be taught; the case is read again after each."""

    def teach(self, line: str, source: TextFile, text: str = "", learned: Learned | None = None) -> None:
        """Ask what a line says; `text` is its wording, where it is known already, and `learned` what it seems to say."""
        self.app.push_screen(TeachScreen(line, source, text, learned), self._save)

    def taught_anew(self) -> None:
        """What is shown here is stale until the case was read again."""

    def _save(self, item: Phrase | None) -> None:
        examined = self.stomion.examined
        if item is None or examined is None:
            return
        try:
            before = taught_before(examined.evidence.root, item)
            path = save_phrase(examined.evidence.root, item)
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)
            return
        self.stomion.taught.append((item, before))
        self.notify(f"Saved to {path}; the case is read again. u takes it back.", markup=False)
        self._again()

    def action_untaught(self) -> None:
        """Take back what was taught last."""
        examined, taught = self.stomion.examined, self.stomion.taught
        if examined is None or not taught:
            self.notify("Nothing was taught here that could be taken back.")
            return
        try:
            forget_phrase(examined.evidence.root, *taught[-1])
        except UsageError as error:
            self.notify(str(error), severity="error", markup=False)
            return
        self.notify(f"Taken back: {taught.pop()[0].text}", markup=False)
        self._again()

    def _again(self) -> None:
        self.taught_anew()
        self.stomion.action_reload()
