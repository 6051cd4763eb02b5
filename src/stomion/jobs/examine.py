"""Read a case and judge every tunnel in it."""

from __future__ import annotations

import gc
import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from stomion.case.evidence import Evidence
from stomion.diagnosis.runner import Diagnosis
from stomion.ingest.folder import read_case
from stomion.ingest.keyfile import read_keys
from stomion.jobs.cancel import CancelToken
from stomion.jobs.demo import demo_folder
from stomion.jobs.judging import judged
from stomion.model.finding import STAGES, Certainty, Status
from stomion.model.provenance import Problem
from stomion.tunnel.build import pictures


@dataclass(frozen=True, slots=True)
class Examined:
    """A case as read and judged; `tunnels` are in the order of the case."""

    evidence: Evidence
    tunnels: tuple[Diagnosis, ...]

    def worst_first(self) -> tuple[Diagnosis, ...]:
        """Broken ones first, the earliest fault of these before later ones, the surest before others; then by name."""
        sure = tuple(Certainty)
        order = (Status.BROKEN, Status.DEGRADED, Status.UNPROVEN, Status.IDLE, Status.WORKING)

        def key(d: Diagnosis) -> tuple[int, int, int, list[tuple[int, str]]]:
            first = d.first_fault
            if first is None:
                return order.index(d.status), len(STAGES), 0, natural(d.picture.name)
            return (
                order.index(d.status),
                STAGES.index(first.stage),
                sure.index(first.certainty),
                natural(d.picture.name),
            )

        return tuple(sorted(self.tunnels, key=key))


def natural(name: str) -> list[tuple[int, str]]:
    """A key that sorts `s9` before `s10`."""
    return [(int(part), "") if part.isdecimal() else (-1, part) for part in re.split(r"(\d{1,18})", name)]


@contextmanager
def _without_collecting() -> Iterator[None]:
    """What is read stays, and has no circles: looking for garbage in ever more of it takes a fifth of the time."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


def examine(
    paths: list[Path],
    progress: Callable[[str, int], None] = lambda _name, _count: None,
    token: CancelToken | None = None,
    keys: Path | None = None,
    keep: bool = True,
    planned: Callable[[Sequence[str]], None] = lambda _names: None,
) -> Examined:
    """`keys` is a key file; with `keep`, what files gave is kept beside the case and taken from there where they did not change.
    `planned` is told the names of all files before the first is read.

    Raises UsageError where a path does not exist, Cancelled where the token is set."""
    watch = token or CancelToken()

    def tick(name: str, count: int) -> None:
        watch.check()
        progress(name, count)

    with _without_collecting():
        kept = keep and demo_folder() not in [p.resolve() for p in paths]
        evidence = read_case(paths, tick, keep=kept, planned=planned)
        if keys is not None:
            evidence.keys = read_keys(keys)
        watch.check()
        found = judged(pictures(evidence, watch.check), watch.check)
    for diagnosis in found:
        evidence.problems.extend(Problem("", text) for text in diagnosis.crashed)
        evidence.problems.extend(diagnosis.picture.cuts)
    return Examined(evidence, found)
