"""Hex dumps in the shapes of many consoles: several packets, offsets of every width, characters that look like bytes."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

import samples
from stomion.wire.hexdump import dumps_of

ONE = samples.udp4("192.0.2.10", "198.51.100.34", samples.main_mode())
TWO = samples.udp4("198.51.100.34", "192.0.2.10", samples.refusal(14))


def rows(data: bytes, offset: str = "", sep: str = " ", group: int = 1, width: int = 16, text: str = "") -> str:
    """A dump's lines: `offset` is a format for the count, `text` what stands beside the bytes."""
    lines = (f"{offset.format(i)}{data[i : i + width].hex(sep, group)}{text}" for i in range(0, len(data), width))
    return "\n".join(lines)


SHAPES = {
    "offsets with a colon, groups of two": {"offset": "\t{:#06x}:  ", "group": 2},
    "eight digits without a colon": {"offset": "{:08x}  "},
    "four digits": {"offset": "{:04x} "},
    "characters beside": {"offset": "{:04x}   ", "text": "   .A..n|x."},
    "characters between bars": {"offset": "{:08x}  ", "text": "  |feedface........|"},
    "characters that look like bytes": {"offset": "{:04x}: ", "text": " feed"},
    "colons": {"sep": ":"},
    "eight a line": {"offset": "{:03x}: ", "width": 8},
    "thirty-two a line": {"width": 32},
}


@pytest.mark.parametrize("shape", SHAPES.values(), ids=SHAPES.keys())
def test_a_dump_in_any_shape(shape: dict[str, object]) -> None:
    text = rows(ONE, **shape)  # type: ignore[arg-type]
    (found,) = dumps_of(text.splitlines())
    # Nothing tells where the last line's bytes end and characters that look like some begin.
    assert bytes(found.data[: len(ONE)]) == ONE and len(found.data) <= len(ONE) + 2


@pytest.mark.parametrize(
    "shape", [SHAPES[k] for k in ("eight digits without a colon", "four digits", "characters beside")]
)
@pytest.mark.parametrize("between", ["", "\n", "12:00:01.000000  in  192.0.2.10:500 to 198.51.100.34:500, 116 bytes\n"])
def test_several_packets_in_one_paste(shape: dict[str, object], between: str) -> None:
    text = rows(ONE, **shape) + "\n" + between + rows(TWO, **shape)  # type: ignore[arg-type]
    found = dumps_of(text.splitlines())
    assert [bytes(d.data) for d in found] == [ONE, TWO]
    assert found[1].heading == between.strip()


def test_a_last_line_may_hold_the_length_alone() -> None:
    text = f"{rows(ONE, '{:08x}  ')}\n{len(ONE):08x}\n"
    assert [bytes(d.data) for d in dumps_of(text.splitlines())] == [ONE]


@pytest.mark.parametrize(
    "line",
    ["", "the beef is dead", "add dead", "12:00:01", "12:00:01 in 192.0.2.10", "c0ffee", "2026-05-04", "face: dead", "\0\0", "0000"],
)  # fmt: skip
def test_what_is_no_dump(line: str) -> None:
    assert dumps_of([line]) == []


@given(st.lists(st.binary(min_size=28, max_size=200), min_size=1, max_size=4), st.sampled_from([8, 16, 32]))
def test_any_bytes_come_back(packets: list[bytes], width: int) -> None:
    text = "\n".join(rows(p, "{:06x}: ", width=width) for p in packets)
    assert [bytes(d.data) for d in dumps_of(text.splitlines())] == packets


@given(st.text(max_size=300))
def test_any_text_is_gone_through(text: str) -> None:
    assert all(d.data for d in dumps_of(text.splitlines()))
