"""What is left of an error of ours on a screen: one sentence, and a file with the way there, without any values."""

from __future__ import annotations

import sys
import traceback
from datetime import UTC, datetime
from pathlib import Path

from stomion import __version__
from stomion.vocabulary.clean import clean
from stomion.vocabulary.secrets import without_secrets
from stomion.writing import state_folder, write_file

FAILED = 3
"""The exit status where the program itself failed."""


def crash_text(error: BaseException) -> str:
    """The way there, without local variables: these hold what was read."""
    lines = traceback.format_exception(error)
    head = (
        f"stomion {__version__}, Python {sys.version.split()[0]}, {datetime.now(UTC).isoformat(timespec='seconds')}\n"
    )
    return head + "".join(clean(without_secrets(line)) + "\n" for block in lines for line in block.splitlines())


def crash_sentence(error: BaseException) -> str:
    """What is said of it, after the file was written where that can be done."""
    where = traceback.extract_tb(error.__traceback__)[-1:]
    place = f" in {Path(where[0].filename).name}:{where[0].lineno}" if where else ""
    said = f"stomion: an error of this program ({type(error).__name__}{place})"
    path = state_folder() / f"crash-{datetime.now(UTC):%Y%m%d-%H%M%S}.txt"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_file(path, crash_text(error).encode("utf-8", "replace"))
    except OSError:
        return f"{said}; please report it. Nothing of the case was changed."
    return f"{said}; the way there is in {path}: please report it with this file. Nothing of the case was changed."
