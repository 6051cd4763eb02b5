"""`stomion test`: run the tests that a case expects, from the vantages that it declares."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from stomion.errors import UsageError

if TYPE_CHECKING:
    from stomion.jobs.trying import Plan

LEAST_S = 5.0
"""Seconds between two rounds, at least."""


@click.command(
    name="test",
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Examples:\n\n\b\n  stomion test CASE --plan          what would be sent, and from where; nothing is sent\n"
    "  stomion test CASE                 shows that first, then asks\n"
    "  stomion test CASE --sizes             the largest packet for each ping as well\n"
    "  stomion test CASE --yes --interval 60\n\n"
    "\b\ncase.toml declares who tries what:\n"
    '  [[vantage]]\n  name = "quayhead/desk"\n  command = ["ssh", "desk.quayhead.example"]      # empty: this machine\n'
    '  [[expect]]\n  from = "quayhead/desk"\n  to = "10.66.0.9"\n  service = "tcp/443"\n  outcome = "reach"\n\n'
    "Exit status: 0 all as expected, 1 something is not, 2 bad usage.",
)
@click.argument("case", type=click.Path(path_type=Path, exists=True, file_okay=False))
@click.option("--only", metavar="NAME", default="", help="Only from this source, or to this target.")
@click.option(
    "--sizes", is_flag=True, help="Look for the largest packet too, with every ping that is expected to pass."
)
@click.option("--plan", "plan_only", is_flag=True, help="Show what would be sent, and send nothing.")
@click.option(
    "--yes", is_flag=True, help="Do not ask; for scripts. The commands of case.toml are run as they stand there."
)
@click.option(
    "--interval", type=click.FloatRange(min=LEAST_S), metavar="S", help="Again every S seconds, until ctrl+c."
)
def command(case: Path, only: str, sizes: bool, plan_only: bool, yes: bool, interval: float | None) -> None:
    """Run what case.toml expects, one test after the other, and append the results to the case as records (path/tried.jsonl)."""
    from stomion.ingest.folder import read_case
    from stomion.jobs.trying import plan_of, writer

    evidence = read_case([case])
    plan = plan_of(evidence, only, sizes=sizes)
    for test in plan.tests:
        click.echo(f"would try  {test.says}" if plan_only else f"to try  {test.says}")
    for line in plan.left_out:
        click.echo(f"left out  {line}")
    if not plan.tests:
        raise UsageError("there is nothing to try: case.toml needs [[vantage]] and [[expect]]; see stomion test --help")
    if plan_only:
        return
    write = writer(evidence.root)
    if not yes:
        if not sys.stdin.isatty():
            raise UsageError("these commands are run only when asked: answer at a terminal, or give --yes")
        click.confirm("Run these?", abort=True)
    wrong = 0
    try:
        wrong = _round(plan, write)
        while interval is not None:
            time.sleep(interval)
            wrong += _round(plan, write)
    except KeyboardInterrupt:
        click.echo("stopped; what was tried is in the case")
    sys.exit(1 if wrong else 0)


def _round(plan: Plan, write: Callable[[dict[str, object]], None]) -> int:
    """One run through the plan; how many did not come out as expected."""
    from stomion.jobs.trying import as_expected, run_plan

    wrong = 0
    for test, record in run_plan(plan, write):
        good = as_expected(record)
        # A size that does not pass is what was looked for.
        wrong += not good and not test.size
        size = f" with {test.size:,} bytes" if test.size else ""
        error = f", {record['error']}" if record.get("error") else ""
        sign = "━━" if good else "╱╱"
        click.echo(
            f"{sign}  {test.source} > {test.to} {test.service}{size}: {record['received']} of {record['sent']} answered{error}"
        )
    return wrong
