"""Screens and widgets that an error of ours in one of their handlers does not end: it costs what that message would have done."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

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
