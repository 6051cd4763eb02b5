"""Where what is derived from a case is written: its own folder, and never the demo in the package."""

from __future__ import annotations

from pathlib import Path

from stomion.errors import UsageError
from stomion.jobs.demo import demo_folder
from stomion.writing import write_inside


def beside(root: str) -> Path:
    """The folder for derived things. Raises UsageError for the demo, which is never written to."""
    if Path(root) == demo_folder():
        raise UsageError("the demo is never written to; stomion demo --write DIR makes a copy to work on")
    return Path(root) / ".stomion"


def safe_name(text: str) -> str:
    """A site's or tunnel's name as a file's name."""
    return "".join(c if c.isalnum() or c in "-_" else "-" for c in text)[:120] or "unnamed"


def write_beside(root: str, name: str, text: str) -> Path:
    """Write a text into the case's folder for derived things. Raises UsageError where that can't be."""
    target = beside(root) / name
    write_inside(Path(root), target, text.encode("utf-8", "replace"))
    return target
