"""A what-if's steps, written beside the case."""

from __future__ import annotations

from pathlib import Path

from stomion.errors import UsageError
from stomion.jobs.beside import safe_name, write_beside
from stomion.tunnel.picture import Picture
from stomion.whatif.attempt import Try
from stomion.whatif.steps import steps_page
from stomion.whatif.tables import Outcome


def write_steps(root: str, picture: Picture, attempt: Try, found: Outcome) -> Path:
    """Write the page into the case's own folder for derived things. Raises UsageError where there are no steps or it can't be written."""
    if not attempt.changes:
        raise UsageError("Nothing was changed here, so there are no steps.")
    name = f"{safe_name(f'{picture.name}-steps-{attempt.letter}')}.md"
    return write_beside(root, name, steps_page(picture, attempt, found))
