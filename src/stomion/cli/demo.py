"""`stomion demo`: the made-up case that ships with the program."""

from __future__ import annotations

from pathlib import Path

import click

from stomion.cli.main import FullScreen
from stomion.errors import UsageError


@click.command(
    name="demo",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion demo\n  stomion demo --write demo-case && stomion check demo-case\n"
    "  stomion demo --fleet 1000 --write fleet && stomion fleet\n",
)
@click.option(
    "--write",
    "target",
    metavar="DIR",
    type=click.Path(path_type=Path),
    help="Write the case there instead of opening it.",
)
@click.option(
    "--fleet",
    type=click.IntRange(1, 4_000),
    metavar="N",
    help="Write a case of N tunnels to one hub instead, made for its size.",
)
@click.pass_obj
def command(full_screen: FullScreen, target: Path | None, fleet: int | None) -> None:
    """Open the demo case full screen, or write it to a folder."""
    from stomion.jobs.demo import demo_folder, write_demo, write_fleet

    if fleet is not None:
        if target is None:
            raise UsageError("--fleet needs --write DIR: a folder to write the case to")
        click.echo(f"{write_fleet(target, fleet):,} files written to {target}")
        return
    if target is not None:
        count = write_demo(target)
        click.echo(f"{count} files written to {target}")
        return
    full_screen([demo_folder()], False)
