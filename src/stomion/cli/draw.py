"""`stomion draw`: the screen's drawings on paper."""

from __future__ import annotations

from pathlib import Path

import click


@click.command(
    name="draw",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion draw CASE --what seam -o seams.svg\n"
    "  stomion draw CASE --what ladder --tunnel quayhead-saltern -o refusal.pdf\n",
)
@click.argument("paths", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option(
    "--what",
    "kind",
    type=click.Choice(["seam", "ladder", "selectors", "walk", "map", "counters", "traffic", "failover", "sites"]),
    required=True,
    help="What to draw.",
)
@click.option("--tunnel", metavar="NAME", help="Of this tunnel; a seam drawing without it shows all.")
@click.option(
    "--attempt",
    type=int,
    metavar="N",
    help="For a ladder: which attempt, from 1, else the last refused one; for a failover: which switch.",
)
@click.option("-o", "--output", "target", required=True, type=click.Path(path_type=Path), help="FILE.svg or FILE.pdf.")
def command(paths: tuple[Path, ...], kind: str, tunnel: str | None, attempt: int | None, target: Path) -> None:
    """Draw the seams of a case, a negotiation as a ladder, selectors, a packet's walk, the map of all packets, or the sites."""
    from stomion.jobs.drawing import draw
    from stomion.jobs.examine import examine

    draw(examine(list(paths)), kind, tunnel, target, attempt)
    click.echo(f"{target} written")
