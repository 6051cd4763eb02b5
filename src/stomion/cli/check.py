"""`stomion check`: findings as text or JSON."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from stomion.cli.main import EXIT_FAULT, EXIT_USAGE, no_cache
from stomion.cli.text import ask_text, check_text, stopped_text
from stomion.errors import UsageError


@click.command(
    name="check",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion check CASE\n  stomion check CASE --tunnel quayhead-saltern --json\n"
    "  stomion check CASE --where 'is:broken -at:whelk' --csv > broken.csv\n"
    "  stomion check quayhead/ike.log quayhead/wan.pcap\n\n"
    "Exit status: 0 no fault, 1 a fault, 2 bad usage, nothing readable, or no tunnel in what was read.",
)
@click.argument("paths", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Machine-readable output (docs/formats.md).")
@click.option(
    "--keys", type=click.Path(path_type=Path), metavar="FILE", help="Keys of IKE SAs, to read what is encrypted."
)
@click.option("--ask", is_flag=True, help="Say what evidence to fetch next, worded for whoever has it.")
@click.option("--tunnel", metavar="NAME", help="Only this tunnel.")
@click.option(
    "--where",
    "words",
    metavar="WORDS",
    default="",
    help="Only tunnels that fit, as on the screen: a word, at:SITE, is:STATE, in:STAGE, has:CODE, -WORD.",
)
@click.option("--csv", "as_rows", is_flag=True, help="A row of a table for every tunnel.")
@no_cache
def command(
    paths: tuple[Path, ...],
    as_json: bool,
    ask: bool,
    tunnel: str | None,
    words: str,
    as_rows: bool,
    keys: Path | None,
    keep: bool,
) -> None:
    """Say what is wrong with the tunnels of a case: the first fault, its proof and the change to make."""
    from stomion.jobs.examine import examine
    from stomion.jobs.rows import as_csv
    from stomion.jobs.summary import as_json_bytes, chosen_of, summary_of

    if as_json + ask + as_rows > 1:
        raise UsageError("--json, --ask and --csv: one at a time")
    seen: dict[str, int] = {}
    try:
        examined = examine(list(paths), seen.__setitem__, keys=keys, keep=keep)
    except KeyboardInterrupt:
        click.echo(stopped_text(seen), err=True)
        raise
    found = summary_of(examined, tunnel, words)
    if tunnel and not found.tunnels:
        names = ", ".join(d.picture.name for d in examined.tunnels) or "none"
        raise UsageError(f"no tunnel is called {tunnel}; there are: {names}")
    if words and examined.tunnels and not found.tunnels:
        raise UsageError(f"none of {len(examined.tunnels):,} tunnels fits: {words}")
    if as_json:
        sys.stdout.write(as_json_bytes(found).decode() + "\n")
    elif as_rows:
        sys.stdout.write(as_csv(chosen_of(examined, tunnel, words)))
    else:
        click.echo(ask_text(found) if ask else check_text(found))
    if not examined.tunnels and examined.evidence.sources:
        sys.exit(EXIT_USAGE)
    if not examined.evidence.sources:
        if not as_json:
            click.echo("stomion: nothing readable was found", err=True)
        sys.exit(EXIT_USAGE)
    wrong = any(r.holds is False for r in found.relations)
    sys.exit(EXIT_FAULT if wrong or any(t.first_fault for t in found.tunnels) else 0)
