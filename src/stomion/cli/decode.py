"""`stomion decode`: what is in a capture's IKE messages, field by field."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Any

import click

from stomion.cli.main import EXIT_USAGE
from stomion.vocabulary.clean import clean


@click.command(
    name="decode",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion decode wan.pcapng\n  stomion decode wan.pcapng --json\n  xclip -o | stomion decode -\n",
)
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path, allow_dash=True))
@click.option("--json", "as_json", is_flag=True, help="Machine-readable output (docs/formats.md).")
@click.option(
    "--keys", type=click.Path(path_type=Path), metavar="FILE", help="Keys of IKE SAs, to read what is encrypted."
)
@click.option("--brief", is_flag=True, help="One line a message, without its fields.")
def command(files: tuple[Path, ...], as_json: bool, brief: bool, keys: Path | None) -> None:
    """Show the IKE messages of captures and hex dumps: negotiations, payloads, fields with their bytes."""
    from stomion.jobs.decoding import decode_file, messages_json

    found: list[Any] = []
    problems: list[str] = []
    for file in files:
        messages, trouble = decode_file(file, keys)
        found.extend(messages)
        problems.extend(f"{file}: {t}" for t in trouble)
    if as_json:
        sys.stdout.write(messages_json(found).decode() + "\n")
    else:
        for message in found:
            click.echo(clean_head(message))
            if not brief:
                _print_fields(message)
    for problem in problems:
        click.echo(f"stomion: {clean(problem)}", err=True)
    if not found:
        click.echo("stomion: no IKE message was found", err=True)
        sys.exit(EXIT_USAGE)


def clean_head(m: Any) -> str:
    """`#7 09:31:02.114 203.0.113.10 → 192.0.2.10  IKE_SA_INIT request  392 bytes`."""
    where = f"#{m.packet} {m.clock}  {m.src} → {m.dst}  " if m.packet else ""
    again = f"  sent {m.again + 1}×" if m.again else ""
    return f"{where}{m.says}  {m.size} bytes{again}"


def _print_fields(m: Any) -> None:
    for f in m.fields:
        raw = f.raw if len(f.raw) <= 23 else f.raw[:20].rstrip() + " …"
        number = "" if f.value is None else f"0x{f.value:x} = {f.value}"
        click.echo(
            f"  {f.offset:04x}  {raw:24}{'  ' * f.depth}{f.name:<{26 - 2 * f.depth}}{number:>16}  {clean(f.says)}"
        )
    for damage in m.damage:
        click.echo(f"  damaged at {damage}")
    click.echo("")
