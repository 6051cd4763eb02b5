"""The pages of the vocabulary: every set of words with its rows, and beside each row a line that it is found in."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path

from stomion.drafts.words import bag
from stomion.logs.lexicon import plain
from stomion.logs.words import expression, vocabulary
from stomion.vocabulary.wordlists import WordSet, word_sets

TESTS = Path(__file__).resolve().parent.parent / "tests"
MOST_SHOWN = 110
"""Characters of a line that are shown beside a row."""
Found = dict[tuple[str, str], str]
"""The line of each row that one is known for, by the set's name and the row."""


def words() -> str:
    """The vocabulary of logs."""
    head = [
        "# The vocabulary",
        "",
        "Generated from `src/stomion/logs/words/*.txt` (`tools/make_docs.py`). A row is a regular expression of plain words: it",
        "begins and ends at whole words, `~` lets the last one go on, `..3` is a gap of up to three words, `{name}` any row of",
        "another idea, `+name` takes over its rows. Beside it a line that it is found in. The words of configurations and of",
        "listed state have [a page of their own](keywords.md).",
        "",
    ]
    return "\n".join([*head, *_shown(vocabulary(), log_rows())])


def keywords() -> str:
    """The vocabulary of configurations and of listings of state."""
    head = [
        "# Words of configurations and listings",
        "",
        "Generated from `src/stomion/drafts/words.txt` and `src/stomion/listings/*.txt` (`tools/make_docs.py`). A row is a word, in",
        "lower case; a key is taken apart where a sign, a digit or a capital begins a new word. Beside it a line that it is found in.",
        "The words of logs have [a page of their own](words.md).",
        "",
        "# Of configurations",
        "",
    ]
    listed = ["# Of listings", "", "The rows of a state are regular expressions from the beginning of a word.", ""]
    return "\n".join(
        [
            *head,
            *_shown(word_sets("stomion.drafts"), draft_rows()),
            *listed,
            *_shown(word_sets("stomion.listings"), listing_rows()),
        ]
    )


def _shown(sets: Mapping[str, WordSet], found: Found) -> Iterator[str]:
    for one in sets.values():
        yield from (
            f"## {one.name}",
            "",
            f"{one.meaning.capitalize()}.",
            "",
            *(f"- `+{other}`" for other in one.others),
        )
        for row in one.rows:
            line = found.get((one.name, row), "")
            yield f"- {as_code(row)}" + (f" · {as_code(line[:MOST_SHOWN].strip())}" if line else "")
        yield ""


def as_code(text: str) -> str:
    """A text as code, whatever marks of code it has."""
    fence = "``" if "`" in text else "`"
    return f"{fence}{text}{fence}"


def log_rows(lines: Iterable[str] | None = None) -> Found:
    """Rows of the vocabulary of logs, in lines whose events the tests know and in lines that were kept for a row."""
    known = json.loads((TESTS / "logs" / "understood.json").read_text("utf-8"))
    texts = [(line, plain(line)) for line in (lines or [*known, *_kept("log")])]
    out: Found = {}
    for name, idea in vocabulary().items():
        for row in idea.rows:
            shape = re.compile(expression(row))
            line = next((line for line, text in texts if shape.search(text)), None)
            if line is not None:
                out[name, row] = line.replace("\n", " ")
    return out


def draft_rows(lines: Iterable[str] | None = None) -> Found:
    """Rows of the vocabulary of configurations."""
    lines = lines or [*_lines((TESTS / "drafts").glob("*.conf")), *_kept("configuration")]
    return _rows(word_sets("stomion.drafts"), lines, lambda line: bag(tuple(re.findall(r"[\w-]+", line))))


def listing_rows(lines: Iterable[str] | None = None) -> Found:
    """Rows of the vocabulary of listings; those of a state are shapes."""
    lines = list(lines or [*_lines((TESTS / "listings" / "styles").glob("*")), *_kept("listing")])
    sets = word_sets("stomion.listings")
    out = _rows(sets, lines, lambda line: bag(tuple(re.findall(r"[\w-]+", line))))
    for one in sets.values():
        for row in one.rows if one.name.startswith("state ") else ():
            shape = re.compile(rf"\b(?:{row})", re.IGNORECASE)
            line = next((line for line in lines if shape.search(line)), None)
            if line is not None:
                out[one.name, row] = line
    return out


def _rows(sets: Mapping[str, WordSet], lines: Iterable[str], words_in: Callable[[str], Iterable[str]]) -> Found:
    first: dict[str, str] = {}
    for line in lines:
        for word in (*words_in(line), *line.lower().split()):
            first.setdefault(word, line)
    return {(one.name, row): first[row] for one in sets.values() for row in one.rows if row in first}


def _lines(files: Iterable[Path]) -> Iterator[str]:
    for file in sorted(files):
        yield from (line for line in file.read_text("utf-8", "replace").split("\n") if line.strip())


def _kept(kind: str) -> Iterator[str]:
    """Lines of made-up evidence, kept for the rows that no other test has a line of."""
    file = TESTS / "vocabulary" / f"{kind}-lines.txt"
    return _lines([file]) if file.exists() else iter(())
