"""The command palette, with a sign that every font has."""

from __future__ import annotations

from textual.command import CommandPalette, SearchIcon


class Finder(CommandPalette):
    def on_mount(self) -> None:
        self.query_one(SearchIcon).icon = "/"
