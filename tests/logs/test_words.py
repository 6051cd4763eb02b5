"""The vocabulary as words: every row finds what it says, says something that no other row of its idea says, and stays quick."""

from __future__ import annotations

import json
import re
from pathlib import Path

import pytest

from stomion.logs.lexicon import plain
from stomion.logs.words import expression, named_in, pattern, rows_of, vocabulary

LITERAL = re.compile(r"[a-z0-9 ]+~?")
LINES = [plain(line) for line in json.loads(Path(__file__).with_name("understood.json").read_text())]


def test_every_idea_says_what_it_means_and_has_rows() -> None:
    assert [name for name, idea in vocabulary().items() if not idea.meaning or not rows_of(name)] == []
    assert {idea.file for idea in vocabulary().values()} == {"ideas", "context", "deeds", "shared", "common"}


def test_rows_of_plain_words_find_themselves() -> None:
    rows = [(name, row) for name in vocabulary() for row in rows_of(name) if LITERAL.fullmatch(row)]
    assert [r for r in rows if not re.search(expression(r[1]), f" {r[1].rstrip('~')} ")] == []


@pytest.mark.parametrize("name", vocabulary())
def test_no_row_stands_behind_another(name: str) -> None:
    """What every line with a row's words would be found by anyway is no row."""
    rows = rows_of(name)
    assert len(set(rows)) == len(rows)
    for row in filter(LITERAL.fullmatch, vocabulary()[name].rows):
        # Where its last word may go on, another row has to let it go on as well.
        written = f" {row.rstrip('~')}" + ("ling " if row.endswith("~") else " ")
        assert [o for o in rows if o != row and re.search(expression(o), written)] == []


def test_the_notation() -> None:
    found = re.compile(expression(r"(asks?|asked) ..2 (for|about) {reason}~"))
    assert found.search(" peer asks us now for the reason is unknown ") is None
    assert found.search(" peer asks us now for reasons of its own ")
    assert found.search(" peer asks us once more now for reasons of its own ") is None
    assert re.compile(expression("(?<! not) dial")).search(" we dial ")
    assert not re.compile(expression("(?<! not) dial")).search(" do not dial ")
    assert pattern("denies", before="", after="").match("nothing")


def test_every_idea_of_a_line_has_one() -> None:
    found = {name for name in named_in("ideas") for line in LINES if pattern(name).search(line)}
    assert found == set(named_in("ideas"))
