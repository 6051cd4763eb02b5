"""Words of configurations and of listings: every row can be reached, and says what its set says."""

from __future__ import annotations

import re

import pytest

from stomion.drafts.words import KINDS, bag, is_value
from stomion.listings.keywords import words_of
from stomion.listings.states import state_of
from stomion.model.sa import SaState
from stomion.vocabulary.wordlists import word_sets

LITERAL = re.compile(r"[a-z0-9 ]+")
STATES = {"not up": SaState.DOWN} | {state.value: state for state in SaState}


@pytest.mark.parametrize("package", ["stomion.drafts", "stomion.listings", "stomion.logs.words"])
def test_every_set_says_what_it_means_and_no_row_twice(package: str) -> None:
    sets = word_sets(package)
    assert [name for name, one in sets.items() if not one.meaning or not (one.rows or one.others)] == []
    assert [name for name, one in sets.items() if len(set(one.rows)) != len(one.rows)] == []


def test_every_word_of_a_configuration_is_one_that_a_statement_can_have() -> None:
    rows = [(name, row) for name, one in word_sets("stomion.drafts").items() for row in one.rows]
    assert [r for r in rows if r[1] not in bag((r[1],)) and not is_value(r[1])] == []


def test_no_word_is_of_two_kinds_of_block() -> None:
    words = [word for _, known in KINDS for word in known]
    assert len(words) == len(set(words))


def test_every_key_of_a_listing_is_one_that_a_key_can_have() -> None:
    sets = word_sets("stomion.listings")
    rows = [(name, row) for name, one in sets.items() if not name.startswith("state ") for row in one.rows]
    assert [r for r in rows if words_of(r[1]) != [r[1]]] == []


def test_every_state_that_is_a_plain_word_is_read_as_what_it_says() -> None:
    rows = [
        (name.removeprefix("state "), row)
        for name, one in word_sets("stomion.listings").items()
        if name.startswith("state ")
        for row in one.rows
        if LITERAL.fullmatch(row)
    ]
    assert [r for r in rows if state_of(r[1]) is not STATES[r[0]]] == []
