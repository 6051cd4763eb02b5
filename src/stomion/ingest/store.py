"""What was worked out of a case, kept beside it so that it need not be worked out again: values by their key, in one SQLite file.

It is never relied on. A case may come from a stranger with such a file in it, so that every value carries a mark made with a key of this
user's own: what somebody else wrote, or what was damaged, is as good as not there. Nothing in it is run or unpickled. Whatever fails with
the file ends its use, and costs time alone. Two programs at once, or one that is killed, leave it whole: that is SQLite's own promise.
"""

from __future__ import annotations

import contextlib
import hashlib
import hmac
import os
import secrets
import sqlite3
from collections.abc import Callable, Iterator
from functools import lru_cache
from pathlib import Path

from stomion import __version__
from stomion.errors import UsageError
from stomion.writing import ordinary_folder, state_folder

NAME = "kept.sqlite"
MARK = 16
"""Bytes of a value's mark, and of a key."""
KEY = 32
"""Bytes of the user's own key."""
RUNS = 3
"""Readings of the case after which a value that none of them asked for goes."""
MOST_BYTES = 1 << 30
"""A file of more bytes begins anew."""
_WAIT_S = 2.0
_TOGETHER = 8 << 20
"""Bytes of values that are written at once."""
_SCHEMA = (
    "CREATE TABLE kept (name BLOB PRIMARY KEY, value BLOB NOT NULL, run INTEGER NOT NULL) WITHOUT ROWID",
    "CREATE TABLE run (number INTEGER NOT NULL)",
)


class Store:
    """Values by their key, for one case. All methods are quiet: what can't be done is not done, and `usable` is False from then on."""

    def __init__(self, file: Path, key: bytes, runs: int = RUNS) -> None:
        self._file, self._key, self._runs = file, key, runs
        self._base: sqlite3.Connection | None = None
        self._run = 0
        self._asked: set[bytes] = set()
        self._waiting: dict[bytes, bytes] = {}
        self._bytes = 0
        with self._guard():
            self._base = _opened(file)
            ((self._run,),) = self._base.execute("SELECT max(number) + 1 FROM run").fetchall()

    @property
    def shared(self) -> bool:
        """Is it of several cases?"""
        return self._runs == OPENINGS

    @property
    def usable(self) -> bool:
        """Can anything be kept?"""
        return self._base is not None

    @contextlib.contextmanager
    def _guard(self) -> Iterator[None]:
        try:
            yield
        except (sqlite3.Error, OSError, ValueError, TypeError):
            # A file that is no longer whole goes, so that the next reading has one; the case itself is elsewhere.
            base, self._base = self._base, None
            if base is not None:
                with contextlib.suppress(sqlite3.Error):
                    base.close()

    def get(self, name: bytes) -> bytes | None:
        """What was kept under a key, where this user kept it and it is whole."""
        value: object = None
        with self._guard():
            if self._base is not None:
                row = self._base.execute("SELECT value FROM kept WHERE name = ?", (name,)).fetchone()
                value = row[0] if row else None
        if not isinstance(value, bytes) or not hmac.compare_digest(value[:MARK], self._mark(name, value[MARK:])):
            return None
        self._asked.add(name)
        return value[MARK:]

    def put(self, name: bytes, value: bytes) -> None:
        """Keep a value under a key, in place of what was there; written together with others, so that the file is never held for long."""
        if self._base is None:
            return
        self._waiting[name] = self._mark(name, value) + value
        self._bytes += len(value)
        if self._bytes > _TOGETHER:
            self._write()

    def _write(self) -> None:
        waiting, self._waiting, self._bytes = self._waiting, {}, 0
        with self._guard():
            if self._base is not None:
                rows = ((name, value, self._run) for name, value in waiting.items())
                self._base.executemany("INSERT OR REPLACE INTO kept VALUES (?, ?, ?)", rows)
                self._base.commit()

    def _mark(self, name: bytes, value: bytes) -> bytes:
        return hashlib.blake2b(len(name).to_bytes(4, "big") + name + value, key=self._key, digest_size=MARK).digest()

    def close(self, *, whole: bool = True) -> None:
        """Write what was kept; after a `whole` reading, drop what several of them in a row did not ask for."""
        self._write()
        with self._guard():
            if self._base is not None:
                self._base.executemany(
                    "UPDATE kept SET run = ? WHERE name = ?", [(self._run, name) for name in sorted(self._asked)]
                )
                if whole:
                    self._base.execute("UPDATE run SET number = ?", (self._run,))
                    self._base.execute("DELETE FROM kept WHERE run <= ?", (self._run - self._runs,))
                self._base.commit()
                self._base.close()
        self._base = None


def _opened(file: Path) -> sqlite3.Connection:
    """The file, made or made anew where it is not what this program writes. Raises sqlite3.Error, OSError."""
    for name in (file, *(file.with_name(file.name + end) for end in ("-wal", "-shm", "-journal"))):
        if name.is_symlink() or (name.exists() and not name.is_file()):
            raise OSError(f"{name} is no ordinary file")
    if file.exists() and file.stat().st_size > MOST_BYTES:
        _remove(file)
    try:
        return _checked(file)
    except sqlite3.OperationalError:
        # It is in use, or can't be written: it may be whole.
        raise
    except (sqlite3.DatabaseError, ValueError):
        _remove(file)
        return _checked(file)


def _checked(file: Path) -> sqlite3.Connection:
    base = sqlite3.connect(file, timeout=_WAIT_S)
    try:
        base.execute("PRAGMA trusted_schema = OFF")
        base.execute("PRAGMA journal_mode = WAL")
        base.execute("PRAGMA synchronous = NORMAL")
        base.execute("BEGIN IMMEDIATE")
        found = [row[0] for row in base.execute("SELECT sql FROM sqlite_schema WHERE sql IS NOT NULL ORDER BY name")]
        if not found:
            for statement in _SCHEMA:
                base.execute(statement)
            base.execute("INSERT INTO run VALUES (0)")
        elif found != list(_SCHEMA):
            raise ValueError("another schema")
        base.commit()
    except BaseException:
        base.close()
        raise
    return base


def _remove(file: Path) -> None:
    for name in (file, *(file.with_name(file.name + end) for end in ("-wal", "-shm", "-journal"))):
        name.unlink(missing_ok=True)


def store_for(root: Path, *, only_there: bool = False) -> Store | None:
    """The store of a case: in its folder for derived things, else, where that can't be written, in this user's own cache folder. None
    where neither can, where the user wants none ($STOMION_NO_CACHE), and with `only_there` where none was made."""
    key = None if os.environ.get("STOMION_NO_CACHE") else _key()
    if key is None:
        return None
    if only_there and not any(_is_there(folder / NAME) for folder in (root / ".stomion" / "cache", _place(root))):
        return None
    return _store_in(_beside, root, key) or _store_in(_of_the_user, root, key)


OPENINGS = 300
"""Openings of any cases after which what was kept of a small one, that none of them was of, goes."""


def store_of_small_cases() -> Store | None:
    """What is kept of cases that are too small for a store of their own, in this user's cache folder; None as for `store_for`."""
    key = None if os.environ.get("STOMION_NO_CACHE") else _key()
    return None if key is None else _store_in(lambda _root: _private(_cache_folder() / "small"), Path(), key, OPENINGS)


def _is_there(file: Path) -> bool:
    """A file in a folder that is closed to us is as good as none."""
    try:
        return file.exists()
    except OSError:
        return False


def _store_in(folder: Callable[[Path], Path], root: Path, key: bytes, runs: int = RUNS) -> Store | None:
    try:
        place = folder(root)
    except (OSError, UsageError):
        return None
    store = Store(place / NAME, key, runs) if os.access(place, os.W_OK) else None
    return store if store is not None and store.usable else None


def _beside(root: Path) -> Path:
    return ordinary_folder(root, root / ".stomion" / "cache")


def _place(root: Path) -> Path:
    return _cache_folder() / hashlib.blake2b(os.fsencode(root), digest_size=MARK).hexdigest()


def _cache_folder() -> Path:
    return Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "stomion"


def _of_the_user(root: Path) -> Path:
    return _private(_place(root))


def _private(place: Path) -> Path:
    place.mkdir(parents=True, exist_ok=True, mode=0o700)
    return place


def _key() -> bytes | None:
    """This user's key for the marks, made the first time. None where it can't be kept."""
    file = state_folder() / "cache.key"
    try:
        file.parent.mkdir(parents=True, exist_ok=True)
        with contextlib.suppress(FileExistsError):
            handle = os.open(file, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW, 0o600)
            with os.fdopen(handle, "wb") as stream:
                stream.write(secrets.token_bytes(KEY))
        key = file.read_bytes()
    except OSError:
        return None
    if len(key) != KEY:
        # Its writing was cut short: the next program makes another one.
        with contextlib.suppress(OSError):
            file.unlink()
        return None
    return key


@lru_cache(1)
def program_mark() -> bytes:
    """What tells this program's state from any other one: its version, and the sizes and times of its own files."""
    digest = hashlib.blake2b(__version__.encode(), digest_size=MARK)
    here = Path(__file__).resolve().parent.parent
    for file in sorted(here.rglob("*.py")):
        found = file.stat()
        digest.update(f"{file.relative_to(here)} {found.st_size} {found.st_mtime_ns}\n".encode())
    return digest.digest()
