"""`stomion PATH`: the full-screen front."""

from __future__ import annotations

from pathlib import Path

import click

from stomion.cli.main import FullScreen, no_cache
from stomion.errors import UsageError


@click.command(name="open", context_settings={"help_option_names": ["-h", "--help"]})
@click.argument("paths", nargs=-1, type=click.Path(path_type=Path))
@no_cache
@click.pass_obj
def command(full_screen: FullScreen, paths: tuple[Path, ...], keep: bool) -> None:
    """Open a case folder or evidence files full screen; the demo where no path is given."""
    for path in paths:
        if not path.exists():
            raise UsageError(f"{path}: it does not exist (and is no command; see stomion --help)")
    from stomion.jobs.demo import demo_folder

    full_screen([p.resolve() for p in paths] or [demo_folder()], keep)
