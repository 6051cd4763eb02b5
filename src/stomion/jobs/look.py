"""How the tunnels stood when they were looked at last: shown at once while a large case is read again, and what is different since."""

from __future__ import annotations

import os
import time
from pathlib import Path

import msgspec

from stomion.errors import Cancelled
from stomion.ingest.folder import read_first_sheets
from stomion.ingest.kept import packed, unpacked
from stomion.ingest.store import Store, store_for, store_of_small_cases
from stomion.jobs.cancel import CancelToken
from stomion.jobs.demo import demo_folder
from stomion.jobs.examine import Examined
from stomion.jobs.judging import judged
from stomion.tunnel.build import pictures
from stomion.views.seam import Seam, seam_of

_NAME = b"the last look"
EARLY_SHEETS = 60
"""Sheets, and tunnels, of an early look: more than a screen shows, and soon read."""


class Looked(msgspec.Struct, frozen=True):
    """One tunnel as it stood; `fault` is the code of its first fault, empty where there was none."""

    name: str
    fault: str
    seam: Seam


class Look(msgspec.Struct, frozen=True):
    """All tunnels as they stood, in the order in which they were shown. `at` is when, in seconds since 1970 UTC. An `early` one is of the
    first tunnels only, by their sheets alone, before anything else was read."""

    title: str
    at: float
    tunnels: tuple[Looked, ...]
    early: bool = False

    def changed(self, now: Look) -> dict[str, Looked | None]:
        """By their names the tunnels that stand otherwise now, each as it stood; None for one that was not there."""
        then = {t.name: t for t in self.tunnels}
        return {t.name: then.get(t.name) for t in now.tunnels if _stands(then.get(t.name)) != _stands(t)}


def _stands(looked: Looked | None) -> tuple[str, str] | None:
    """What counts as a change: the state, or another first fault. A figure in its sentence does not."""
    return (looked.seam.status.value, looked.fault) if looked is not None else None


def look_of(examined: Examined, at: float | None = None) -> Look:
    """The tunnels of a case as they stand, worst first."""
    rows = (
        Looked(d.picture.name, d.first_fault.code if d.first_fault is not None else "", seam_of(d))
        for d in examined.worst_first()
    )
    return Look(examined.evidence.title, time.time() if at is None else at, tuple(rows))


def early_look(paths: list[Path], token: CancelToken) -> Look | None:
    """What the first sheets of a large case say of its first tunnels; None for a small case, and where no sheets are.

    Raises Cancelled where the token is set."""
    try:
        evidence = read_first_sheets(paths, EARLY_SHEETS, lambda _name, _count: token.check())
        if evidence is None:
            return None
        found = judged(pictures(evidence, token.check, EARLY_SHEETS), token.check)
        return msgspec.structs.replace(look_of(Examined(evidence, found)), early=True) if found else None
    except Cancelled:
        raise
    except Exception:
        # What goes wrong with them goes wrong when all is read, and is said there.
        return None


def last_look(paths: list[Path]) -> Look | None:
    """The look that was kept of a case; None where none was."""
    store = _store(paths)
    if store is None:
        return None
    data = store.get(_key(paths[0]))
    store.close(whole=False)
    return unpacked(data, Look) if data is not None else None


def keep_look(paths: list[Path], look: Look) -> None:
    """Keep a look beside the case, where other things of it are kept too; of a small case in the user's cache folder."""
    store = _store(paths)
    if store is not None:
        store.put(_key(paths[0]), packed(look))
        store.close(whole=store.shared)


def _store(paths: list[Path]) -> Store | None:
    if len(paths) != 1 or not paths[0].is_dir() or paths[0].resolve() == demo_folder():
        return None
    return store_for(paths[0].resolve(), only_there=True) or store_of_small_cases()


def _key(path: Path) -> bytes:
    return _NAME + os.fsencode(path.resolve())
