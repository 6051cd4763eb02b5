"""Teaching a line: a phrase, how many other lines it would understand, and saving it beside what is derived from the case."""

from __future__ import annotations

from pathlib import Path

from stomion.errors import Malformed, UsageError
from stomion.ingest.folder import PHRASEBOOK
from stomion.ingest.textfile import TextFile
from stomion.jobs.beside import beside
from stomion.logs.phrasebook import Phrase, phrase, read_phrasebook, suggested, written
from stomion.model.event import What

__all__ = ["count_matches", "events_to_choose", "phrase", "save_phrase", "suggested"]

COUNTED_LINES = 200_000
"""Lines looked through to count matches while one types."""


def events_to_choose() -> list[str]:
    """What a line can be taught to say, in the order of a negotiation."""
    return [what.value for what in What]


def count_matches(text: TextFile, item: Phrase) -> int:
    """How many lines of a source (of its first 200,000) a phrase fits."""
    return sum(1 for n in range(1, min(len(text), COUNTED_LINES) + 1) if item.match(text.line(n)))


def save_phrase(root: str, item: Phrase) -> Path:
    """Add a phrase to the case's own phrasebook, in its folder for derived things. Raises UsageError where that fails."""
    path = beside(root) / PHRASEBOOK
    try:
        known, troubles = read_phrasebook(path.read_text()) if path.exists() else ([], [])
        if troubles:
            raise UsageError(f"{path}: {troubles[0]}; nothing was saved")
        path.parent.mkdir(exist_ok=True)
        fresh = path.with_suffix(".new")
        fresh.write_text(written([*(p for p in known if p.text != item.text), item]))
        fresh.replace(path)
    except (OSError, Malformed) as error:
        raise UsageError(f"{path}: it can't be written") from error
    return path
