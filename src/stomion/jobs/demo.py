"""The demo case: where it lies in the installed package, and copies of it."""

from __future__ import annotations

from pathlib import Path

from stomion.errors import UsageError
from stomion.writing import write_file


def demo_folder() -> Path:
    """The case folder inside the package; it is only ever read."""
    return Path(__file__).resolve().parent.parent / "demo"


def write_demo(target: Path) -> int:
    """Copy the case to a new or empty folder; the number of files written. Raises UsageError where something is in the way."""
    _free(target)
    source = demo_folder()
    count = 0
    for path in sorted(source.rglob("*")):
        if path.is_file() and path.suffix != ".py" and "__pycache__" not in path.parts:
            copy = target / path.relative_to(source)
            copy.parent.mkdir(parents=True, exist_ok=True)
            write_file(copy, path.read_bytes())
            count += 1
    return count


def _free(target: Path) -> None:
    if target.exists() and (not target.is_dir() or any(target.iterdir())):
        raise UsageError(f"{target}: it exists and is not an empty folder; nothing was written")


def write_fleet(target: Path, tunnels: int) -> int:
    """Write a case of so many tunnels to a new or empty folder; the number of files. Raises UsageError where something is in the way."""
    # Made up when it is asked for: it is large.
    from stomion.jobs.fleet import fleet_files

    _free(target)
    count = 0
    for name, content in fleet_files(tunnels):
        path = target / name
        path.parent.mkdir(parents=True, exist_ok=True)
        write_file(path, content, sync=False)
        count += 1
    return count
