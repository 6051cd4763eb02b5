"""Lengths of time in the shapes that people write."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.vocabulary.durations import LONGEST_S, seconds_of

SHAPES = {
    "3600": 3600, "28,800 s": 28_800, "86 400": 86_400, "0x7080": 28_800, "0x7080 s": 28_800, "8h": 28_800,
    "8 hours": 28_800, "1 day": 86_400, "1d": 86_400, "480 min": 28_800, "480m": 28_800, "1.5 hours": 5_400, "1h 30m": 5_400,
    "1 hour and 30 minutes": 5_400, "08:00:00": 28_800, "0:30": 1_800, "1d 00:00:00": 86_400, "2 weeks": 1_209_600,
    "1500 ms": 2, "24 Hrs.": 86_400,
}  # fmt: skip


@pytest.mark.parametrize(("text", "seconds"), SHAPES.items(), ids=SHAPES.keys())
def test_a_length_of_time(text: str, seconds: int) -> None:
    assert seconds_of(text) == seconds


@pytest.mark.parametrize(
    "text", ["", "soon", "8 x", "h", "7 7", "50 MB", "-5 s", "8h and a bit", "99 years", "999999999999", "1.5"]
)
def test_what_is_none(text: str) -> None:
    assert seconds_of(text) is None


@given(st.integers(0, LONGEST_S))
def test_a_bare_number_is_seconds(seconds: int) -> None:
    assert (
        seconds_of(str(seconds))
        == seconds_of(f"{seconds} s")
        == seconds_of(f"{seconds:,}")
        == seconds_of(hex(seconds))
        == seconds
    )


@given(st.text(max_size=40))
def test_any_text_is_read_or_refused(text: str) -> None:
    found = seconds_of(text)
    assert found is None or 0 <= found <= LONGEST_S
