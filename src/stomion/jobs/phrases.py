"""Phrasebooks from the command line: read, put together, and tried on a log."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from stomion.errors import Malformed, UnreadableInput, UsageError
from stomion.ingest.files import open_input, read_lines
from stomion.ingest.folder import phrasebooks
from stomion.ingest.item import MAX_TABLE
from stomion.jobs.teaching import save_phrase
from stomion.logs.learning import Learned
from stomion.logs.phrasebook import Phrase, phrase, read_phrasebook, written


@dataclass(slots=True)
class Tried:
    """One phrase on some logs: how many lines it fits, and the first of them as (file, line)."""

    item: Phrase
    count: int = 0
    first: tuple[str, int] = ("", 0)


def book_of(path: Path) -> list[Phrase]:
    """The phrases of a file, or of a case folder and what was taught in it. Raises UsageError where one can't be read."""
    files = [p for p in phrasebooks(path) if path in p.parents] if path.is_dir() else [path]
    if not files:
        raise UsageError(f"{path}: there is no phrasebook in this folder")
    found: list[Phrase] = []
    for file in files:
        _ordinary(file)
        try:
            with open_input(file) as stream:
                items, troubles = read_phrasebook(stream.read(MAX_TABLE).decode("utf-8"))
        except (UnreadableInput, UnicodeDecodeError) as error:
            raise UsageError(f"{file}: it is no phrasebook: {getattr(error, 'what', 'it is not UTF-8')}") from error
        if troubles:
            raise UsageError(f"{file}: {troubles[0]}")
        found += items
    return found


def _ordinary(path: Path) -> None:
    """A device or a pipe may have no end."""
    if path.exists() and not path.is_file():
        raise UsageError(f"{path}: it is no ordinary file")


def merged(books: Sequence[Path]) -> tuple[str, list[str]]:
    """One book of several, the first that has a wording decides; with it the wordings that a later book has otherwise."""
    kept: dict[str, Phrase] = {}
    otherwise = []
    for path in books:
        for item in book_of(path):
            first = kept.setdefault(item.text, item)
            if (first.what, first.far) != (item.what, item.far):
                otherwise.append(f"{path}: “{item.text}” says “{item.what.value}” there; “{first.what.value}” is kept")
    return written(kept.values()), otherwise


def tried_on(book: Path, logs: Sequence[Path]) -> list[Tried]:
    """Every phrase of a book on every line of some logs; a line counts for the first phrase that fits it, as when a case is read."""
    found = [Tried(item) for item in book_of(book)]
    for log in logs:
        _ordinary(log)
        try:
            with open_input(log) as stream:
                for number, text, _, _ in read_lines(stream):
                    one = next((t for t in found if t.item.match(text) is not None), None)
                    if one is not None:
                        one.first = one.first if one.count else (str(log), number)
                        one.count += 1
        except (UnreadableInput, OSError) as error:
            raise UsageError(f"{log}: {error}") from error
    return found


def keep_learned(root: str, found: Sequence[Learned]) -> tuple[int, Path | None]:
    """Put what was learned into the case's own phrasebook: how many, and where. A wording that can be no phrase is left out. Raises
    UsageError where that fails."""
    count, where = 0, None
    for item in found:
        try:
            made = phrase(item.text, item.what.value, "far" if item.far else "own")
        except Malformed:
            continue
        count, where = count + 1, save_phrase(root, made)
    return count, where
