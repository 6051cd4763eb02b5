"""An error on a screen costs no more than it has to: in a handler of ours what its message would have done, in one of the toolkit's the
widget that it was in. The application says so once, and goes on."""

from __future__ import annotations

import traceback
from typing import TYPE_CHECKING, Any

from textual._context import active_message_pump
from textual.app import App
from textual.screen import Screen

from stomion.tui.crash import crash_sentence

if TYPE_CHECKING:
    from textual.message import Message


class GoesOn:
    """To be named before the toolkit's class."""

    async def _dispatch_message(self, message: Message) -> None:
        pump: Any = super()
        try:
            await pump._dispatch_message(message)
        except Exception as error:
            self.go_on_after(error)

    def go_on_after(self, error: Exception) -> None:
        """Say it, where the application goes on after errors. Raises the error where it does not."""
        go_on = getattr(getattr(self, "app", None), "go_on_after", None)
        if go_on is None:
            raise error
        go_on(error)


class AppGoesOn(App[None]):
    """The application's part. With `goes_on` it stays after an error; without, as in tests, each is raised."""

    goes_on = False

    def __init__(self) -> None:
        super().__init__()
        self.failures: dict[tuple[str, str, int], str] = {}
        """What was said of errors on a screen, by their kind and place; of each it is said once."""

    def go_on_after(self, error: Exception) -> None:
        """Say once what failed, and where the way there was written; the other screens go on. Raises the error where the app does not go
        on."""
        if not self.goes_on:
            raise error
        where = traceback.extract_tb(error.__traceback__)[-1]
        known = (type(error).__name__, where.filename, where.lineno or 0)
        if known not in self.failures:
            self.failures[known] = crash_sentence(error)
            text = f"{self.failures[known]} The other screens go on (1 to 9), and r reads the case again."
            self.notify(text, severity="error", timeout=30, markup=False)

    async def run_action(self, *args: Any, **more: Any) -> bool:
        """What a key does; where it fails, the application stays."""
        try:
            return await super().run_action(*args, **more)
        except Exception as error:
            self.go_on_after(error)
            return True

    def _handle_exception(self, error: Exception) -> None:
        """An error in a widget that is the toolkit's own: it takes no messages any more. A screen of the toolkit's with such a
        widget is left; everything else goes on. Among the application's own messages nothing is left to go on."""
        pump = active_message_pump.get(None)
        if not self.goes_on or pump is None or pump is self:
            super()._handle_exception(error)
            return
        self.go_on_after(error)
        screen = pump if isinstance(pump, Screen) else getattr(pump, "screen", None)
        if isinstance(screen, Screen) and not isinstance(screen, GoesOn) and screen in self.screen_stack[1:]:
            self.call_later(self.pop_screen)

    def _fatal_error(self) -> None:
        """Leave with a sentence: the toolkit's own report would show local variables, which hold what was read."""
        from rich.text import Text

        self.bell()
        self._exit_renderables.append(Text(crash_sentence(self._exception or RuntimeError("not known"))))
        self._close_messages_no_wait()
