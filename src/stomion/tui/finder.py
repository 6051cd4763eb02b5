"""The command palette, with a sign that every font has, and safe against keys that come before it stands."""

from __future__ import annotations

from textual.command import CommandList, CommandPalette, SearchIcon


class Finder(CommandPalette):
    def on_mount(self) -> None:
        self.query_one(SearchIcon).icon = "/"

    def _action_command_list(self, action: str) -> None:
        """Keys typed ahead reach the list before it has any lines: these are passed over."""
        commands = self.query_one(CommandList)
        if commands.option_count and commands.scrollable_content_region.height > 0:
            super()._action_command_list(action)
