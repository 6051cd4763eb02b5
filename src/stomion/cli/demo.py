"""`stomion demo`: the made-up case that ships with the program."""

from __future__ import annotations

from pathlib import Path

import click


@click.command(
    name="demo",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion demo\n  stomion demo --write demo-case && stomion check demo-case\n",
)
@click.option("--write", "target", metavar="DIR", type=click.Path(path_type=Path), help="Write the case there instead of opening it.")
def command(target: Path | None) -> None:
    """Open the demo case full screen, or write it to a folder."""
    from stomion.jobs.demo import demo_folder, write_demo

    if target is not None:
        count = write_demo(target)
        click.echo(f"{count} files written to {target}")
        return
    from stomion.tui.app import run

    run([demo_folder()])
