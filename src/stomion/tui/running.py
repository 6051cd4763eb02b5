"""From the command line to the screens and back: the process ends when the screens are left, whatever a thread is still at."""

from __future__ import annotations

import asyncio
import atexit
import multiprocessing
import os
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from stomion.tui.app import StomionApp
from stomion.tui.crash import FAILED

PATIENCE_S = 0.5
"""So long a reading may take to notice that nobody waits for it."""


def run(paths: list[Path], *, keep: bool = True) -> None:
    """Open the full-screen front. Raises SystemExit where it failed."""
    app = StomionApp(paths, keep=keep, goes_on=True)
    threads = ThreadPoolExecutor()
    loop = asyncio.new_event_loop()
    loop.set_default_executor(threads)
    status = FAILED
    try:
        app.run(loop=loop)
        status = FAILED if app.return_code or app.failures else 0
    finally:
        app.leave_reading()
        threads.shutdown(wait=False, cancel_futures=True)
        sys.stderr.writelines(f"{sentence}\n" for sentence in app.failures.values())
        _end_with(status)
    if status:
        raise SystemExit(status)


def _end_with(status: int) -> None:
    """End the process where a thread does not: within one large table it looks at nothing else. All that it writes is written whole or not
    at all, so nothing is lost."""
    until = time.monotonic() + PATIENCE_S
    others = [t for t in threading.enumerate() if t is not threading.main_thread() and not t.daemon]
    for thread in others:
        thread.join(max(0.0, until - time.monotonic()))
    if not any(thread.is_alive() for thread in others):
        return
    for child in multiprocessing.active_children():
        child.kill()
    # What is left to do at the end is done without waiting for the thread: semaphores of worker processes are given back.
    atexit._run_exitfuncs()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(status)
