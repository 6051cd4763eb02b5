"""Where the program begins: hands the command line the full-screen front, so that neither front knows the other."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path

from stomion.cli.main import run_command_line


def open_full_screen(paths: list[Path], keep: bool) -> None:
    """Open the full-screen front; loaded only now, for it is the heaviest part."""
    from stomion.tui.running import run

    run(paths, keep=keep)


def main(argv: Sequence[str] | None = None) -> None:
    """Entry point of `stomion`; leaves with the exit status."""
    sys.exit(run_command_line(argv, open_full_screen))
