"""The command line's root. Commands are imported when they are called, so that `--version` and `--help` are quick."""

from __future__ import annotations

import contextlib
import importlib
import os
import sys
import traceback
from collections.abc import Callable, Sequence
from pathlib import Path

import click

from stomion import __version__
from stomion.errors import UsageError
from stomion.vocabulary.clean import clean

EXIT_FAULT, EXIT_USAGE, EXIT_FAILED = 1, 2, 3
EXIT_STOPPED = 130
"""As a shell says it of a program that was ended by ctrl+c."""
FullScreen = Callable[[list[Path], bool], None]
"""Opens paths full screen; the second says whether what is worked out is kept for the next time."""
"""Opens the full-screen front on paths; the context object of every command."""

_COMMANDS = {
    "check": ("stomion.cli.check", "Findings of a case without a screen."),
    "decode": ("stomion.cli.decode", "Negotiations and payloads of captures and hex dumps."),
    "demo": ("stomion.cli.demo", "Open the demo case, or write it to a folder."),
    "draw": (
        "stomion.cli.draw",
        "Draw a seam, a ladder, selectors, a walk, a map, counters or the sites as SVG or PDF.",
    ),
    "handover": ("stomion.cli.handover", "What one end must set, for its engineer."),
    "keymark": ("stomion.cli.keymark", "Fingerprint of a pre-shared key, to compare without revealing the key."),
    "mtu": ("stomion.cli.mtu", "ESP's overhead, the largest packet that fits a path, and its TCP segment."),
    "phrases": ("stomion.cli.phrases", "Wordings of a log that are not understood, and phrasebooks that teach them."),
    "sheet": ("stomion.cli.sheet", "Write a site sheet from little, or look one over."),
    "test": ("stomion.cli.test", "Run the tests that a case expects, from the vantages it declares."),
    "open": ("stomion.cli.open", "Open a case full screen (the word may be left out)."),
    "completion": ("stomion.cli.completion", "Print the completion script for a shell."),
}


no_cache = click.option(
    "--no-cache",
    "keep",
    is_flag=True,
    flag_value=False,
    default=True,
    help="Read everything anew, and keep nothing of it beside the case.",
)


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
    "  stomion demo              look around in a made-up case\n\n"
    "Exit status: 0 no fault, 1 a fault, 2 bad usage or nothing readable, 3 the program failed.",
)
@click.version_option(__version__, prog_name="stomion", message="%(prog)s %(version)s")
@click.pass_context
def root(ctx: click.Context) -> None:
    """Says which step of a site-to-site tunnel broke, at which end, on what proof, and what to change.

    PATH is a case folder (a folder per site, with whatever files there are) or any evidence files.
    """
    if ctx.invoked_subcommand is None:
        module = importlib.import_module("stomion.cli.open")
        ctx.invoke(module.command, paths=(), keep=False)


def run_command_line(argv: Sequence[str] | None, full_screen: FullScreen) -> int:
    """Run a command. Errors become one line on standard error; the exit status is 3 where the program itself failed: an error of ours, a
    full disk, an output that was closed."""
    try:
        return _run(argv, full_screen)
    except UsageError as error:
        click.echo(f"stomion: {clean(str(error))}", err=True)
        return EXIT_USAGE
    except click.ClickException as error:
        error.show()
        return EXIT_USAGE
    except click.Abort as error:
        if isinstance(error.__cause__, KeyboardInterrupt):
            return EXIT_STOPPED
        click.echo("Aborted!", err=True)
        return EXIT_USAGE
    except KeyboardInterrupt:
        return EXIT_STOPPED
    except BrokenPipeError:
        # The reader of a pipe has gone (`| head`): nothing can be said to it any more.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return EXIT_FAILED
    except OSError as error:
        _say(f"stomion: {error.strerror or 'input or output failed'}")
        return EXIT_FAILED
    except Exception as error:
        where = traceback.extract_tb(error.__traceback__)[-1]
        text = f"{type(error).__name__} in {Path(where.filename).name}:{where.lineno}"
        _say(f"stomion: an error of this program ({text}); please report it with the command and the kind of its input")
        return EXIT_FAILED


def _say(text: str) -> None:
    """To standard error, where that is open; what is left in standard output goes nowhere, as it can't be written."""
    with contextlib.suppress(OSError):
        click.echo(clean(text), err=True)
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _run(argv: Sequence[str] | None, full_screen: FullScreen) -> int:
    output = sys.stdout
    try:
        status = root.main(
            args=list(argv) if argv is not None else None, prog_name="stomion", obj=full_screen, standalone_mode=False
        )
    except SystemExit as left:
        if sys.stdout is not output:
            # Where the output was closed click puts another one in its place and leaves with 1, which is a fault's status.
            return EXIT_FAILED
        status = left.code
    # What does not fit the disk is told now, and not when everything is over.
    sys.stdout.flush()
    return status if isinstance(status, int) else 0
