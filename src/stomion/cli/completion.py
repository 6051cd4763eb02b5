"""`stomion completion`: the script that makes a shell complete commands, options and paths."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class


@click.command(
    name="completion",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog='Examples:\n\n\b\n  eval "$(stomion completion bash)"\n  stomion completion fish > ~/.config/fish/completions/stomion.fish\n',
)
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
def command(shell: str) -> None:
    """Print the completion script for a shell."""
    from stomion.cli.main import root

    found = get_completion_class(shell)
    assert found is not None
    click.echo(found(root, {}, "stomion", "_STOMION_COMPLETE").source())
