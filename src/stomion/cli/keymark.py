"""`stomion keymark`: compare a key with a colleague without telling it."""

from __future__ import annotations

import sys

import click

from stomion.errors import UsageError


@click.command(
    name="keymark",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion keymark quayhead.lanternreef.example saltern.lanternreef.example\n\n"
    'Both ends do this with the same two identities. The same words: the same key. Put them into the sheets as key_mark = "…".',
)
@click.argument("identity")
@click.argument("other_identity")
def command(identity: str, other_identity: str) -> None:
    """Ask for a pre-shared key twice, without showing it, and print its mark: four words to read to the other end."""
    from stomion.crypto.keyquality import key_remarks
    from stomion.jobs.keymark import key_mark

    key = _asked("Key: ")
    if key != _asked("Once more: "):
        raise UsageError("the two entries differ; nothing was computed")
    mark = key_mark(key, (identity, other_identity))
    for remark in key_remarks(key):
        click.echo(f"note: {remark}", err=True)
    click.echo(mark)


def _asked(prompt: str) -> str:
    """A line without echo; from a pipe, a line of it."""
    if sys.stdin.isatty():
        answer: str = click.prompt(prompt, prompt_suffix="", hide_input=True, err=True)
        return answer
    return sys.stdin.readline().rstrip("\r\n")
