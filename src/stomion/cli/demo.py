"""`stomion demo`: the made-up case that ships with the program."""

from __future__ import annotations

from pathlib import Path

import click

from stomion.cli.main import FullScreen


@click.command(
    name="demo",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion demo\n  stomion demo --write demo-case && stomion check demo-case\n",
)
@click.option(
    "--write",
    "target",
    metavar="DIR",
    type=click.Path(path_type=Path),
    help="Write the case there instead of opening it.",
)
@click.pass_obj
def command(full_screen: FullScreen, target: Path | None) -> None:
    """Open the demo case full screen, or write it to a folder."""
    from stomion.jobs.demo import demo_folder, write_demo

    if target is not None:
        count = write_demo(target)
        click.echo(f"{count} files written to {target}")
        return
    full_screen([demo_folder()])
