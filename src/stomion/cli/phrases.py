"""`stomion phrases`: the wordings of a log, and the phrasebooks in which they are taught."""

from __future__ import annotations

import sys
from pathlib import Path

import click

from stomion.cli.main import EXIT_FAULT
from stomion.errors import UsageError
from stomion.vocabulary.clean import clean
from stomion.writing import write_file

_PATH = click.Path(path_type=Path)


@click.group(
    name="phrases",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion phrases wordings CASE --unknown\n  stomion phrases learn CASE --save\n"
    "  stomion phrases test phrasebook.toml gateway.log\n  stomion phrases merge CASE other.toml -o all.toml\n",
)
def command() -> None:
    """What a log's lines say, in its own words: what is not understood, what was taught, and whether it fits."""


@command.command(name="wordings")
@click.argument("paths", nargs=-1, required=True, type=_PATH)
@click.option("--unknown", is_flag=True, help="Only those that are not understood.")
@click.option("--most", type=click.IntRange(1, 100_000), default=40, show_default=True, help="Of one log.")
def wordings(paths: tuple[Path, ...], unknown: bool, most: int) -> None:
    """The lines of logs by their wordings, those that would decide most first."""
    from stomion.jobs.examine import examine
    from stomion.jobs.places import open_text
    from stomion.jobs.wordings import wordings_of

    examined = examine(list(paths), keep=False)
    for log in examined.evidence.logs:
        found = wordings_of(examined, log.file, open_text(examined, log.file))
        shown = [item for item in found.found if not (unknown and item.understood)]
        click.echo(f"{clean(log.file)}: {found.lines:,} lines, {len(found.found):,} wordings")
        for item in shown[:most]:
            says = item.says or ("not understood" if item.weight > 1 else "–")
            click.echo(f"  {len(item.lines):>7,}  {says:<26}  {clean(item.text)}")
        if len(shown) > most:
            click.echo(f"  {len(shown) - most:,} more; --most shows them")
    _nothing_of(bool(examined.evidence.logs))


@command.command(name="learn")
@click.argument("case", type=_PATH)
@click.option("--save", is_flag=True, help="Keep them in the case's phrasebook.")
def learn(case: Path, save: bool) -> None:
    """Wordings that stand beside the same message on the wire, or the same line of the other end, each time."""
    from stomion.jobs.examine import examine
    from stomion.jobs.learning import learn as learned_in
    from stomion.jobs.phrases import keep_learned
    from stomion.jobs.places import open_text
    from stomion.jobs.wordings import wordings_of

    examined = examine([case], keep=False)
    found = []
    for log in examined.evidence.logs:
        text = open_text(examined, log.file)
        mine = learned_in(examined, log.file, text, wordings_of(examined, log.file, text))
        for item in mine:
            by = "the peer decided" if item.far else "own deed"
            click.echo(f"{clean(log.file)}: {clean(item.text)}")
            click.echo(f"    seems to say “{item.what.value}” ({by}), {item.count} of {item.moments} times:")
            for number, place in item.beside:
                click.echo(f"    line {number:,} beside {clean(str(place))}")
        found += mine
    if not found:
        click.echo("nothing was learned: no wording that is not understood stands beside the same event twice or more")
    elif save:
        count, where = keep_learned(examined.evidence.root, found)
        click.echo(f"{count} kept in {clean(str(where))}" if where else "none of them can be kept as a phrase")


@command.command(name="test")
@click.argument("book", type=_PATH)
@click.argument("logs", nargs=-1, required=True, type=_PATH)
def test(book: Path, logs: tuple[Path, ...]) -> None:
    """How many lines of LOGS each phrase of BOOK (a file, or a case) fits. Exit status 1 where one fits none."""
    from stomion.jobs.phrases import tried_on

    found = tried_on(book, logs)
    for one in found:
        first = f"  {clean(one.first[0])}:{one.first[1]}" if one.count else ""
        click.echo(f"{one.count:>8,}  {one.item.what.value:<26}  {clean(one.item.text)}{first}")
    if any(not one.count for one in found):
        sys.exit(EXIT_FAULT)


@command.command(name="merge")
@click.argument("books", nargs=-1, required=True, type=_PATH)
@click.option("-o", "--output", "target", type=_PATH, help="Write it here.")
def merge(books: tuple[Path, ...], target: Path | None) -> None:
    """One phrasebook of several (files, or cases), for sharing; of a wording that two have, the first one's meaning is kept."""
    from stomion.jobs.phrases import merged

    text, otherwise = merged(books)
    for line in otherwise:
        click.echo(clean(line), err=True)
    if target is None:
        click.echo(text, nl=False)
        return
    write_file(target, text.encode())
    click.echo(f"{target} written")


def _nothing_of(any_: bool) -> None:
    if not any_:
        raise UsageError("there is no log in what was given")
