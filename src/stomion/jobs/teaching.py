"""Teaching a line: a phrase, how many other lines it would understand, and saving it beside what is derived from the case."""

from __future__ import annotations

from pathlib import Path

from stomion.errors import UsageError
from stomion.ingest.folder import PHRASEBOOK
from stomion.ingest.textfile import TextFile
from stomion.jobs.beside import beside
from stomion.logs.phrasebook import Phrase, phrase, read_phrasebook, written
from stomion.logs.templates import template_of
from stomion.model.event import What
from stomion.writing import alone, write_inside

__all__ = ["count_matches", "events_to_choose", "phrase", "save_phrase", "template_of"]

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
    return _rewrite(root, item, [item])


def forget_phrase(root: str, item: Phrase, before: Phrase | None = None) -> Path:
    """Take a phrase out of the case's own phrasebook, and put back the one that was there `before`. Raises UsageError where that fails."""
    return _rewrite(root, item, [before] if before is not None else [])


def taught_before(root: str, item: Phrase) -> Phrase | None:
    """The phrase with the same wording in the case's own phrasebook, as far as it can be read."""
    try:
        known, _ = read_phrasebook((beside(root) / PHRASEBOOK).read_text("utf-8"))
    except (OSError, UnicodeDecodeError):
        return None
    return next((p for p in known if p.text == item.text), None)


def _rewrite(root: str, item: Phrase, instead: list[Phrase]) -> Path:
    path = beside(root) / PHRASEBOOK
    with alone(Path(root), path):
        try:
            known, troubles = read_phrasebook(path.read_text("utf-8")) if path.is_file() else ([], [])
        except (OSError, UnicodeDecodeError) as error:
            raise UsageError(f"{path}: what is there can't be read; nothing was saved") from error
        if troubles:
            raise UsageError(f"{path}: {troubles[0]}; nothing was saved")
        book = written([*(p for p in known if p.text != item.text), *instead])
        # What is written is read back before it takes the old one's place.
        if read_phrasebook(book)[1]:
            raise UsageError(f"{path}: this wording can't be kept; nothing was saved")
        write_inside(Path(root), path, book.encode())
    return path
