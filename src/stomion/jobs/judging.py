"""Judging all tunnels of a case, one half of a large one in a second process: what is said of a tunnel rests on no other one's verdict.

The second process is a copy of this one (fork), as the evidence is far larger than what is found in it: nothing has to be sent there, and
only findings come back. It is made where this process has no other thread (a copy of a locked lock stays locked), which leaves out the
application's screens.
"""

from __future__ import annotations

import signal
from collections.abc import Callable, Sequence
from contextlib import suppress
from multiprocessing import get_context
from multiprocessing.connection import Connection

from stomion.diagnosis.runner import Diagnosis, diagnose
from stomion.ingest.workers import can_fork
from stomion.model.finding import Finding, StageVerdict, Status
from stomion.tunnel.picture import Picture

LEAST = 200
"""Tunnels from which on a second process is worth its start."""
Said = tuple[Status, tuple[StageVerdict, ...], tuple[Finding, ...], tuple[str, ...]]
"""A diagnosis without its picture, which this process has."""


def judged(pictures: Sequence[Picture], check: Callable[[], None]) -> tuple[Diagnosis, ...]:
    """A diagnosis for every picture, in their order. Raises what `check` raises, which is asked before every tunnel."""
    if len(pictures) < LEAST or not can_fork():
        return _one_by_one(pictures, check)
    middle = len(pictures) // 2
    ours, theirs = get_context("fork").Pipe(duplex=False)
    helper = get_context("fork").Process(target=_help, args=(theirs, pictures[middle:]), daemon=True)
    helper.start()
    theirs.close()
    try:
        first = _one_by_one(pictures[:middle], check)
        said = _answer(ours, check)
    finally:
        helper.terminate()
        helper.join()
        ours.close()
    if said is None:
        # The helper died: without memory, or killed. What it was asked is worked out here.
        return first + _one_by_one(pictures[middle:], check)
    return first + tuple(Diagnosis(p, *parts) for p, parts in zip(pictures[middle:], said, strict=True))


def _one_by_one(pictures: Sequence[Picture], check: Callable[[], None]) -> tuple[Diagnosis, ...]:
    out = []
    for picture in pictures:
        check()
        out.append(diagnose(picture))
    return tuple(out)


def _help(answer: Connection, pictures: Sequence[Picture]) -> None:
    """In the second process; ctrl+c is the first one's matter."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    # What fails here fails in the first process too, which then works it out itself and is the one to say so.
    with suppress(Exception):
        answer.send([(d.status, d.stages, d.findings, d.crashed) for d in map(diagnose, pictures)])


def _answer(ours: Connection, check: Callable[[], None]) -> list[Said] | None:
    """What the second process found; None where it ended without an answer."""
    while not ours.poll(0.1):
        check()
    try:
        found: list[Said] = ours.recv()
    except EOFError:
        return None
    return found
