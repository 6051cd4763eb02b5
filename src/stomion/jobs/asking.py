"""The list of what to fetch next, written beside the case."""

from __future__ import annotations

from pathlib import Path

from stomion.diagnosis.runner import Diagnosis
from stomion.errors import UsageError
from stomion.jobs.beside import safe_name, write_beside
from stomion.views.asks import asks_of, asks_text


def write_asks(root: str, diagnosis: Diagnosis) -> Path:
    """Write the list into the case's own folder for derived things. Raises UsageError where there is nothing to ask, or no way to write."""
    text = asks_text(asks_of(diagnosis))
    if not text:
        raise UsageError("Nothing has to be fetched, so there is no list.")
    return write_beside(root, f"{safe_name(f'{diagnosis.picture.name}-to-ask')}.txt", text + "\n")
