"""Remarks about a key: what is said of it, and that nothing of it is shown."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.crypto.keyquality import SHORTEST, guessing_bits, key_remarks

GOOD = "vZ7#qKd9-XwRn4.TyGh2_"


@pytest.mark.parametrize(
    ("key", "words"),
    [
        (GOOD, []),
        (GOOD + " ", ["ends with a blank"]),
        ("\t" + GOOD + "\n", ["begins and ends with a blank", "beyond ASCII"]),
        (GOOD[:10] + " " + GOOD[10:], ["blanks inside"]),
        (GOOD + "\u2013", ["beyond ASCII (en dash)"]),
        (GOOD + "0", ["1 character is easily read as another"]),
        (GOOD[: SHORTEST - 1], [f"{SHORTEST - 1} characters"]),
        ("a" * 40, ["few different characters"]),
        ("abab" * 10, ["few different characters"]),
        ("", ["0 characters"]),
    ],
)
def test_what_is_remarked(key: str, words: list[str]) -> None:
    found = key_remarks(key)
    assert len(found) == len(words) and all(word in text for word, text in zip(words, found, strict=True))


@given(st.text(alphabet=st.characters(codec="ascii", exclude_categories=("Cc",)), min_size=8, max_size=64))
def test_no_remark_shows_the_key(key: str) -> None:
    text = " ".join(key_remarks(key))
    assert not any(
        key[i : i + 6] in text for i in range(len(key) - 5) if key[i : i + 6].strip() and not key[i : i + 6].islower()
    )


@given(st.text(max_size=80))
def test_bits_grow_with_what_is_added(key: str) -> None:
    assert 0.0 <= guessing_bits(key) <= guessing_bits(key + "\u00e9Zq7#")
