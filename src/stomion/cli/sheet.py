"""`stomion sheet`: write a site sheet from little, or look one over."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from stomion.cli.main import EXIT_FAULT
from stomion.errors import UsageError
from stomion.writing import write_file


@click.group(
    name="sheet",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion sheet new saltern --peer-site quayhead -o CASE/sites/saltern.toml\n"
    "  stomion sheet look CASE/sites/saltern.toml\n  stomion sheet yang CASE/sites/saltern.toml\n",
)
def command() -> None:
    """Site sheets: what a gateway is meant to do."""


@command.command(
    name="new",
    epilog="Example:\n\n\b\n  stomion sheet new saltern --peer-site quayhead --local 203.0.113.10 --peer 192.0.2.10 \\\n"
    "    --lan 10.64.0.0/21 --far-lan 10.96.0.0/20 -o saltern.toml\n\nWhat is not given is asked for.",
)
@click.argument("site")
@click.option("--peer-site", prompt="Name of the other site", help="The other end's name.")
@click.option("--local", prompt="Own public address", help="This gateway's public address.")
@click.option("--peer", prompt="The other end's public address", help="The other end's public address.")
@click.option("--lan", prompt="Own range (prefix)", help="The range behind this gateway.")
@click.option("--far-lan", prompt="Range behind the other end (prefix)", help="The range behind the other end.")
@click.option("--ike", type=click.Choice(["1", "2"]), default="2", show_default=True, help="IKE version.")
@click.option(
    "-o", "--output", "target", type=click.Path(path_type=Path), help="Write it here; an existing file is left alone."
)
def new(
    site: str, peer_site: str, local: str, peer: str, lan: str, far_lan: str, ike: str, target: Path | None
) -> None:
    """Write a sheet for SITE with one tunnel, with proposals by current guidance to start from."""
    from stomion.jobs.sheets import started_sheet

    text = started_sheet(site, peer_site, local, peer, lan, far_lan, int(ike))
    if target is None:
        click.echo(text, nl=False)
        return
    if target.exists() or target.is_symlink():
        raise UsageError(f"{target}: it exists already and was left alone")
    write_file(target, text.encode())
    click.echo(f"{target} written")


@command.command(
    name="draft",
    epilog="Example:\n\n\b\n  stomion sheet draft saltern.conf -o CASE/sites/saltern.toml\n\n"
    "Look the draft over: every value is the text's own.",
)
@click.argument("file", type=click.Path(path_type=Path))
@click.option(
    "-o", "--output", "target", type=click.Path(path_type=Path), help="Write it here; an existing file is left alone."
)
def draft(file: Path, target: Path | None) -> None:
    """Draft a site sheet out of a gateway's own configuration text, whatever its make."""
    from stomion.jobs.sheets import drafted

    text, left = drafted(file)
    if target is None:
        click.echo(text, nl=False)
    elif target.exists() or target.is_symlink():
        raise UsageError(f"{target}: it exists already and was left alone")
    else:
        write_file(target, text.encode())
        click.echo(f"{target} written")
    for line, word in left[:MOST_LEFT]:
        click.echo(f"{file}:{line}: not understood: {word} …", err=True)
    if len(left) > MOST_LEFT:
        click.echo(f"{file}: {len(left) - MOST_LEFT:,} more lines are not understood", err=True)


MOST_LEFT = 40
"""Lines that are named one by one."""


@command.command(name="look")
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
def look(files: tuple[Path, ...]) -> None:
    """Say what is wrong in sheets, a line each: file, line, what is expected. Exit status 1 where anything is."""
    from stomion.jobs.sheets import sheet_troubles

    wrong = 0
    for file in files:
        for line, text in sheet_troubles(file):
            wrong += 1
            click.echo(f"{file}{f':{line}' if line else ''}: {text}")
    if wrong:
        sys.exit(EXIT_FAULT)
    click.echo("nothing is wrong")


@command.command(name="yang")
@click.argument("file", type=click.Path(path_type=Path))
def yang(file: Path) -> None:
    """Print a sheet's tunnels as IETF YANG data in JSON (RFC 9061, ietf-i2nsf-ike; RFC 7951)."""
    from stomion.jobs.sheets import as_yang

    data, old = as_yang(file)
    click.echo(data)
    for name in old:
        click.echo(f"left out: {name}: it uses IKEv1, and this data model has IKEv2 alone (RFC 9061)", err=True)
