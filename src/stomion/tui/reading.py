"""Reading the case behind the screens: in a thread, with its progress, stopped at once, and begun again."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from textual import work
from textual.worker import Worker, WorkerState

from stomion.errors import Cancelled, StomionError
from stomion.jobs.cancel import CancelToken
from stomion.tui.goingon import AppGoesOn

if TYPE_CHECKING:
    from stomion.jobs.examine import Examined
    from stomion.jobs.look import Look, Looked

PROGRESS_EVERY_S = 0.1
FEW = 3
"""Files that are not worth counting."""


class ReadingApp(AppGoesOn):
    """An application over one case. With `keep`, what is kept of the case is used and renewed."""

    def __init__(self, paths: list[Path], *, keep: bool) -> None:
        super().__init__()
        self._paths, self._keep = paths, keep
        self._token = CancelToken()
        self.examined: Examined | None = None
        self.before: Look | None = None
        """How the tunnels stood when they were looked at last."""
        self.changed: dict[str, Looked | None] = {}
        """Tunnels that stand otherwise now, by name, each as it stood then."""
        self.progress = ""
        self.read_seconds = 0.0
        """How long the last reading of the case took."""

    def read(self) -> None:
        """Begin to read the case; a reading under way is left to itself."""
        self._token.cancelled = True
        self._token = CancelToken()
        self._read(self._token)

    @property
    def is_reading(self) -> bool:
        """Is the case being read?"""
        return any(w.group == "read" and w.is_running for w in self.workers)

    def stop_reading(self) -> bool:
        """Give up a reading that is under way; False where none is. What it is at may take it a moment longer, unseen."""
        running = [w for w in self.workers if w.group == "read" and w.is_running]
        self._token.cancelled = True
        for worker in running:
            worker.cancel()
        return bool(running)

    def leave_reading(self) -> None:
        """Nobody waits for it any more."""
        self._token.cancelled = True

    def take(self, found: Examined) -> None:
        """Make a case that was read the one that is shown."""
        raise NotImplementedError

    def show_state(self) -> None:
        """Show what changed."""
        raise NotImplementedError

    @work(thread=True, exclusive=True, group="read", exit_on_error=False)
    def _read(self, token: CancelToken) -> Examined:
        shown = 0.0
        places: dict[str, int] = {}

        def progress(name: str, count: int) -> None:
            nonlocal shown
            now = time.monotonic()
            if now - shown >= PROGRESS_EVERY_S:
                shown = now
                self.call_from_thread(self._progressed, _reading(name, count, places))

        def planned(names: Sequence[str]) -> None:
            places.update((name, n) for n, name in enumerate(names, 1))

        from stomion.jobs.examine import examine
        from stomion.jobs.look import early_look, keep_look, last_look, look_of

        begun = time.monotonic()
        if self.examined is None:
            before = (last_look(self._paths) if self._keep else None) or early_look(self._paths, token)
            if before is not None:
                self.call_from_thread(self._remember, before)
        found = examine(self._paths, progress, token, keep=self._keep, planned=planned)
        self.read_seconds = time.monotonic() - begun
        token.check()
        if self._keep:
            keep_look(self._paths, look_of(found))
        return found

    def _remember(self, before: Look) -> None:
        self.before = before
        self.show_state()

    def _progressed(self, text: str) -> None:
        self.progress = text
        self.show_state()

    def on_worker_state_changed(self, event: Worker.StateChanged) -> None:
        """What became of the reading. One that was given up for another one has nothing to say any more."""
        worker = event.worker
        if worker.group != "read" or any(w.group == "read" and w.is_running and w is not worker for w in self.workers):
            return
        if event.state is WorkerState.SUCCESS and worker.result is not None:
            self._compare(worker.result)
        elif event.state is WorkerState.CANCELLED or isinstance(worker.error, Cancelled):
            self.progress = "reading was stopped; r reads again"
            self.show_state()
        elif event.state is WorkerState.ERROR:
            self.progress = ""
            error = worker.error
            text = str(error) if isinstance(error, StomionError) else f"reading failed: {type(error).__name__}: {error}"
            self.notify(text, severity="error", timeout=20, markup=False)
            self.show_state()

    def _compare(self, found: Examined) -> None:
        from stomion.jobs.look import look_of

        if self.examined is not None:
            self.before = look_of(self.examined)
        elif self.before is not None and self.before.early:
            self.before = None
        self.changed = self.before.changed(look_of(found)) if self.before is not None else {}
        self.examined, self.progress = found, ""
        self.take(found)


def _reading(name: str, count: int, places: dict[str, int]) -> str:
    """What is being read: `reading 12 of 4,001: north/ike.log, 2,048`."""
    place = f"{places[name]:,} of {len(places):,}: " if name in places and len(places) > FEW else ""
    return f"reading {place}{name}" + (f", {count:,}" if count else "")
