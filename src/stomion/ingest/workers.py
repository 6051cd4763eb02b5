"""Many logs or records at once, in worker processes: what one of them says does not rest on another one. The order of the case is kept.

A worker gets what the readers of logs and of pasted tests ask the case for, and gives back what they found; a text of another kind is left
to the caller, as tables rest on each other.
"""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import sys
import threading
from collections.abc import Generator, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from dataclasses import dataclass, field
from multiprocessing import get_context, resource_tracker
from secrets import token_bytes

from stomion.case.evidence import Evidence
from stomion.ingest.item import Item
from stomion.ingest.kept import Found, lengths, taken
from stomion.ingest.reading import Tick, Years
from stomion.vocabulary.secrets import tell_apart

LEAST_BYTES = 24 << 20
"""Files of fewer bytes are read faster than a process starts."""
CHUNK, CHUNK_BYTES = 12, 16 << 20
"""Files of one order to a worker, and bytes from which on no further file is put to them."""
MOST_WORKERS = 4
OF_ITS_OWN = ("text", "records", "pasted tests", "empty", "binary")
"""Kinds that rest on nothing but their own file."""


@dataclass(slots=True)
class Answer:
    """What one file gave; None in `found` for a file that the caller has to read himself."""

    item: Item
    found: Found | None = field(default=None)


def worth_it(items: Sequence[Item], sizes: Sequence[int]) -> bool:
    """Are there enough files, and a second processor to read them?"""
    return len(items) > 1 and sum(sizes) >= LEAST_BYTES and processors() > 1


def processors() -> int:
    """How many processors this program may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def can_fork() -> bool:
    """May this process copy itself? Only with no other thread, as a copy of a locked lock stays locked, and where it is worth it."""
    return (
        sys.platform == "linux"
        and processors() > 1
        and threading.active_count() == 1
        and threading.current_thread() is threading.main_thread()
    )


def base_of(evidence: Evidence) -> Evidence:
    """The part of a case that reading a log asks for: names, addresses and phrases."""
    base = Evidence(root=evidence.root, title=evidence.title)
    base.sheets, base.phrases, base.addresses = evidence.sheets, evidence.phrases, evidence.addresses
    base.sources = list(evidence.sources)
    return base


def _chunks(items: Sequence[Item], sizes: Sequence[int]) -> Iterator[tuple[Item, ...]]:
    chunk: list[Item] = []
    weight = 0
    for item, size in zip(items, sizes, strict=True):
        chunk.append(item)
        weight += size
        if len(chunk) == CHUNK or weight >= CHUNK_BYTES:
            yield tuple(chunk)
            chunk, weight = [], 0
    if chunk:
        yield tuple(chunk)


def read_many(
    items: Sequence[Item],
    sizes: Sequence[int],
    evidence: Evidence,
    years: Years,
    tick: Tick,
    meanwhile: Iterator[None] | None = None,
) -> Generator[Answer]:
    """Every file's answer, in the order of the files; `meanwhile` is gone through while none is there.

    Raises what `tick` raises, with all workers stopped."""
    _prepare()
    pool = ProcessPoolExecutor(
        max_workers=min(processors(), MOST_WORKERS),
        # A copy of this process is there at once; a new one has to load the program first.
        mp_context=get_context("fork" if can_fork() else "spawn"),
        initializer=_begin,
        initargs=(base_of(evidence), years, tell_apart(token_bytes(16))),
    )
    try:
        waiting = [pool.submit(_read, chunk) for chunk in _chunks(items, sizes)]
        done = 0
        for future in waiting:
            _await(future, tick, items[done].name, done, meanwhile or iter(()))
            for answer in future.result():
                done += 1
                yield answer
    except BaseException:
        _stop(pool)
        raise
    pool.shutdown()


def _prepare() -> None:
    """The process that cleans up after workers inherits standard error: the real one, not what a full-screen front puts in its place."""
    with contextlib.redirect_stderr(sys.__stderr__):
        resource_tracker.ensure_running()


def _await(future: Future[list[Answer]], tick: Tick, name: str, done: int, meanwhile: Iterator[None]) -> None:
    idle = object()
    while not future.done():
        if next(meanwhile, idle) is idle:
            wait([future], timeout=0.1, return_when=FIRST_COMPLETED)
        tick(name, done)


def _stop(pool: ProcessPoolExecutor) -> None:
    """At once: what a worker is reading is of no use any more."""
    for process in list((getattr(pool, "_processes", None) or {}).values()):
        process.terminate()
    pool.shutdown(wait=False, cancel_futures=True)


_CASE: list[tuple[Evidence, Years]] = []
"""In a worker: what it knows of the case. Sent once, as a large case has many sheets."""


def _begin(base: Evidence, years: Years, marks: bytes) -> None:
    """In a worker, first of all; ctrl+c is the caller's matter."""
    tell_apart(marks)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    gc.disable()
    _CASE[:] = [(base, years)]


def _read(items: tuple[Item, ...]) -> list[Answer]:
    # Here, not above: the folder's reader asks this module.
    from stomion.ingest.folder import read_one

    ((base, years),) = _CASE
    answers = []
    before = lengths(base)
    for item in items:
        if not read_one(item, base, lambda _name, _count: None, years, OF_ITS_OWN):
            answers.append(Answer(item))
            continue
        answers.append(Answer(item, taken(base, before, years.seen)))
    return answers
