"""`stomion handover`: what the other end must set."""

from __future__ import annotations

from pathlib import Path

import click


@click.command(
    name="handover",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion handover CASE --for saltern\n"
    "  stomion handover CASE --tunnel quayhead-saltern --for saltern -o saltern.pdf\n",
)
@click.argument("paths", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--tunnel", metavar="NAME", help="Of this tunnel, where the site has several.")
@click.option("--for", "site", metavar="SITE", required=True, help="The end that has to set it.")
@click.option(
    "-o", "--output", "target", type=click.Path(path_type=Path), help="FILE.md, .html or .pdf; else Markdown here."
)
def command(paths: tuple[Path, ...], tunnel: str | None, site: str, target: Path | None) -> None:
    """List everything one end must set so that its tunnel works: values, selectors, routes, filters, tests. Never a key."""
    from stomion.jobs.examine import examine
    from stomion.jobs.handover import handover_document, rendered, write_document

    document = handover_document(examine(list(paths)), tunnel, site)
    if target is None:
        click.echo(rendered(document, ".md").decode(), nl=False)
    else:
        write_document(document, target)
        click.echo(f"{target} written")
