"""The one way in which this program writes files: a new file beside the target, on the disk before it takes the target's place.

The old file stays whole until the new one is. Links and anything that is no ordinary file are refused inside a case, which may come from a
stranger; what a user names with -o is replaced as usual, and a device or a pipe is written to as it is.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import stat
import tempfile
from collections.abc import Iterator
from pathlib import Path

from stomion.errors import UsageError


def write_file(target: Path, data: bytes, *, sync: bool = True) -> None:
    """Write or replace a file that the user named; without `sync` it may take its time to the disk. Raises UsageError with the system's
    reason; then nothing was changed."""
    try:
        found = target.stat() if target.exists() else None
        if found is not None and not stat.S_ISREG(found.st_mode) and not stat.S_ISDIR(found.st_mode):
            with target.open("wb") as stream:
                stream.write(data)
            return
        mode = found.st_mode if found is not None else None
        _replace(target.resolve() if target.is_symlink() else target, data, mode, sync)
    except OSError as error:
        raise UsageError(f"{target}: {error.strerror or 'it cannot be written'}") from error


def write_inside(root: Path, target: Path, data: bytes) -> None:
    """Write or replace a file below a case's folder for derived things, which is made where it is not there. Raises UsageError for a link
    or a special file on the way, and with the system's reason."""
    try:
        folder = ordinary_folder(root, target.parent)
        if target.is_symlink() or (target.exists() and not target.is_file()):
            raise UsageError(f"{target}: it is a link or no ordinary file; nothing was written")
        _replace(folder / target.name, data, None)
    except OSError as error:
        raise UsageError(f"{target}: {error.strerror or 'it cannot be written'}") from error


def ordinary_folder(root: Path, folder: Path) -> Path:
    """A folder below another one, made where it is not there. Raises UsageError where a part of its way is a link."""
    at = root
    for part in folder.relative_to(root).parts:
        at = at / part
        if at.is_symlink() or (at.exists() and not at.is_dir()):
            raise UsageError(f"{at}: it is a link or no folder; nothing was written")
        at.mkdir(exist_ok=True)
    return at


def state_folder() -> Path:
    """What this program keeps for this user: $XDG_STATE_HOME/stomion, else ~/.local/state/stomion."""
    return Path(os.environ.get("XDG_STATE_HOME") or Path.home() / ".local" / "state") / "stomion"


@contextlib.contextmanager
def alone(root: Path, target: Path) -> Iterator[None]:
    """While this holds, no other instance that asks the same has the file: for reading, changing and writing it again. Raises UsageError as
    `write_inside`."""
    folder = ordinary_folder(root, target.parent)
    name = folder / f".{target.name}.lock"
    try:
        handle = os.open(name, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC | os.O_NONBLOCK, 0o644)
    except OSError as error:
        raise UsageError(f"{name}: {error.strerror or 'it cannot be opened'}") from error
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def _replace(target: Path, data: bytes, mode: int | None, sync: bool = True) -> None:
    handle, name = tempfile.mkstemp(dir=target.parent, prefix=f".{target.name[:60]}.")
    try:
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            if sync:
                os.fsync(stream.fileno())
            os.fchmod(stream.fileno(), stat.S_IMODE(mode) if mode is not None else 0o666 & ~_umask())
        Path(name).replace(target)
    except BaseException:
        with contextlib.suppress(OSError):
            Path(name).unlink()
        raise
    if not sync:
        return
    with contextlib.suppress(OSError):
        folder = os.open(target.parent, os.O_RDONLY)
        try:
            os.fsync(folder)
        finally:
            os.close(folder)


def _umask() -> int:
    now = os.umask(0o022)
    os.umask(now)
    return now
