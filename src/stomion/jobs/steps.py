"""A what-if's steps, written beside the case."""

from __future__ import annotations

from pathlib import Path

from stomion.errors import UsageError
from stomion.jobs.beside import beside, safe_name
from stomion.tunnel.picture import Picture
from stomion.whatif.attempt import Try
from stomion.whatif.steps import steps_page
from stomion.whatif.tables import Outcome


def write_steps(root: str, picture: Picture, attempt: Try, found: Outcome) -> Path:
    """Write the page into the case's own folder for derived things. Raises UsageError where there are no steps or it can't be written."""
    if not attempt.changes:
        raise UsageError("Nothing was changed here, so there are no steps.")
    target = beside(root) / f"{safe_name(f'{picture.name}-steps-{attempt.letter}')}.md"
    try:
        target.parent.mkdir(exist_ok=True)
        target.write_text(steps_page(picture, attempt, found), encoding="utf-8")
    except OSError as error:
        raise UsageError(f"{target}: {error.strerror or 'it cannot be written'}") from error
    return target
