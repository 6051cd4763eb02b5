"""The command line's root. Commands are imported when they are called, so that `--version` and `--help` are quick."""

from __future__ import annotations

import importlib
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import click

from stomion import __version__
from stomion.errors import UsageError
from stomion.vocabulary.clean import clean

EXIT_FAULT, EXIT_USAGE = 1, 2
FullScreen = Callable[[list[Path]], None]
"""Opens the full-screen front on paths; the context object of every command."""

_COMMANDS = {
    "check": ("stomion.cli.check", "Findings of a case without a screen."),
    "decode": ("stomion.cli.decode", "Negotiations and payloads of captures and hex dumps."),
    "demo": ("stomion.cli.demo", "Open the demo case, or write it to a folder."),
    "draw": ("stomion.cli.draw", "Draw a seam, a ladder, selectors, a walk, a map or counters as SVG or PDF."),
    "handover": ("stomion.cli.handover", "What one end must set, for its engineer."),
    "keymark": ("stomion.cli.keymark", "Fingerprint of a pre-shared key, to compare without revealing the key."),
    "mtu": ("stomion.cli.mtu", "ESP's overhead, the largest packet that fits a path, and its TCP segment."),
    "sheet": ("stomion.cli.sheet", "Write a site sheet from little, or look one over."),
    "test": ("stomion.cli.test", "Run the tests that a case expects, from the vantages it declares."),
    "open": ("stomion.cli.open", "Open a case full screen (the word may be left out)."),
    "completion": ("stomion.cli.completion", "Print the completion script for a shell."),
}


class Commands(click.Group):
    """Loads a command's module on demand; a first word that is no command is a path to open."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return [name for name in _COMMANDS if name != "open"]

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in _COMMANDS:
            return None
        module = importlib.import_module(_COMMANDS[cmd_name][0])
        command: click.Command = module.command
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, _COMMANDS[name][1]) for name in self.list_commands(ctx)])

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in _COMMANDS and not args[0].startswith("-"):
            args = ["open", *args]
        return super().resolve_command(ctx, args)


@click.group(
    cls=Commands,
    invoke_without_command=True,
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion CASE              open a case folder full screen\n"
    "  stomion check CASE        what is wrong, and what to change\n"
    "  stomion demo              look around in a made-up case\n\nExit status: 0 no fault, 1 a fault, 2 bad usage or nothing readable.",
)
@click.version_option(__version__, prog_name="stomion", message="%(prog)s %(version)s")
@click.pass_context
def root(ctx: click.Context) -> None:
    """Says which step of a site-to-site tunnel broke, at which end, on what proof, and what to change.

    PATH is a case folder (a folder per site, with whatever files there are) or any evidence files.
    """
    if ctx.invoked_subcommand is None:
        module = importlib.import_module("stomion.cli.open")
        ctx.invoke(module.command, paths=())


def run_command_line(argv: Sequence[str] | None, full_screen: FullScreen) -> int:
    """Run a command; our errors become one line on standard error. The exit status."""
    try:
        root(args=list(argv) if argv is not None else None, prog_name="stomion", obj=full_screen, standalone_mode=True)
    except UsageError as error:
        click.echo(f"stomion: {clean(str(error))}", err=True)
        return EXIT_USAGE
    except BrokenPipeError:
        # The reader of a pipe has gone (`| head`): no fault of anybody's.
        sys.stderr.close()
        return 0
    except KeyboardInterrupt:
        return 130
    return 0
