"""The counters' drawing: bands, what happened, SA pairs of both ends, and the dots they become."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest

from stomion.diagnosis.runner import Diagnosis
from stomion.jobs.drawing import draw
from stomion.jobs.examine import Examined
from stomion.tui.braille import chart
from stomion.tui.pages.counters import page, plot_width
from stomion.tui.spans import width_of
from stomion.views.counters import CountersDrawing, counters_of
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]


def _rows(site: str, spis: tuple[str, str], *rows: tuple[int, int, int]) -> str:
    out = []
    for minute, sealed, opened in rows:
        row = {
            "kind": "counters",
            "at": f"2026-05-04T09:{minute:02d}:00Z",
            "site": site,
            "tunnel": "t",
            "spi_in": spis[0],
            "spi_out": spis[1],
        }
        out.append(
            json.dumps(
                {
                    **row,
                    "packets_out": sealed,
                    "packets_in": opened,
                    "age_s": minute * 60,
                    "rekey_in_s": 3600 - minute * 60,
                }
            )
        )
    return "\n".join(out) + "\n"


A, B = ("aa11aa11", "bb22bb22"), ("bb22bb22", "aa11aa11")


def _tunnel(case: Case, left: str, right: str, more: str = "") -> Diagnosis:
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": SHEET.format(**LEFT),
        "sites/marram.toml": SHEET.format(**RIGHT),
    }
    files |= {
        name: text
        for name, text in (("quayhead/c.jsonl", left), ("marram/c.jsonl", right), ("path/t.jsonl", more))
        if text
    }
    return case(files).tunnels[0]


def _drawing(case: Case, left: str, right: str, more: str = "") -> CountersDrawing:
    found = counters_of(_tunnel(case, left, right, more))
    assert found is not None
    return found


@pytest.mark.parametrize(
    ("arrived", "says", "tone"),
    [
        ((0, 50, 100), "all of it arrives", "proven"),
        ((0, 40, 80), "20 lost, 20.0 %", "change"),
        ((0, 0, 0), "nothing of it arrives", "change"),
    ],
)
def test_a_direction_in_words(case: Case, arrived: tuple[int, ...], says: str, tone: str) -> None:
    sent = _rows("quayhead", A, (0, 0, 0), (1, 50, 0), (2, 100, 0))
    got = _rows("marram", B, *((minute, 0, count) for minute, count in enumerate(arrived)))
    bands = _drawing(case, sent, got).bands
    band = next(b for b in bands if b.sender.site == "quayhead")
    assert (band.says, band.tone) == (says, tone)
    assert next(b for b in bands if b is not band).says == "Marram sends nothing into the tunnel"


def test_since_when_nothing_arrives(case: Case) -> None:
    sent = _rows("quayhead", A, (0, 0, 0), (1, 50, 0), (2, 100, 0), (3, 150, 0))
    got = _rows("marram", B, (0, 0, 0), (1, 0, 50), (2, 0, 50), (3, 0, 50))
    says = [b.says for b in _drawing(case, sent, got).bands if b.sender.site == "quayhead"]
    assert says == ["nothing arrives since 09:01:00; 100 lost"]


def test_without_readings_there_is_no_drawing(case: Case) -> None:
    assert counters_of(_tunnel(case, "", "")) is None


def test_one_end_alone(case: Case) -> None:
    alone = _drawing(case, _rows("quayhead", A, (0, 0, 0), (1, 50, 0)), "")
    assert {b.says for b in alone.bands} == {"Marram read once or never: no difference to tell"}


def test_pairs_stand_side_by_side_and_tests_are_marked(case: Case) -> None:
    test = {
        "kind": "test",
        "at": "2026-05-04T09:01:30Z",
        "from": "quayhead/desk",
        "to": "10.66.0.9",
        "service": "icmp",
        "sent": 5,
    }
    left, right = _rows("quayhead", A, (0, 0, 0), (2, 9, 9)), _rows("marram", B, (0, 0, 0), (2, 9, 9))
    drawing = _drawing(case, left, right, json.dumps({**test, "received": 0}) + "\n")
    (pair,) = drawing.pairs
    assert pair.left is not None
    assert pair.right is not None
    assert pair.left.spi_in == pair.right.spi_out
    assert [m.text for m in drawing.marks] == ["SA up", "5 × ping, 0 answered"]
    assert drawing.ahead == ("Marram renews it in 58 min",)


@pytest.mark.parametrize("width", [60, 100, 160])
@pytest.mark.parametrize("rate", [False, True])
def test_the_page_fits_its_width(case: Case, width: int, rate: bool) -> None:
    test = {
        "kind": "test",
        "at": "2026-05-04T09:01:30Z",
        "from": "quayhead/desk",
        "to": "10.66.0.9",
        "service": "icmp",
        "sent": 20,
    }
    left, right = _rows("quayhead", A, (0, 0, 0), (2, 90, 9)), _rows("marram", B, (0, 0, 0), (2, 9, 0))
    diagnosis = _tunnel(case, left, right, json.dumps({**test, "received": 0}) + "\n")
    drawing = counters_of(diagnosis)
    assert drawing is not None
    built = page(drawing, diagnosis, width, 40, plot_width(width) // 2, rate=rate)
    assert max(width_of(line) for line, _ in built) <= width
    assert any("Marram" in text for line, _ in built for text, _ in line)


def test_dots() -> None:
    full = chart([8.0, 8.0], [8.0, 8.0], 8, 2)
    partly = chart([8.0, 8.0], [4.0, 4.0], 8, 2)
    none = chart([None, 0.0], [None, 0.0], 8, 2)
    assert [line[0] for line in full] == [("⣿", "proven"), ("⣿", "proven")]
    assert (partly[0][0][1], partly[1][0]) == ("change", ("⣿", "proven"))
    assert [line[0] for line in none] == [("\u2800", "proven"), ("\u2800", "proven")]


def test_on_paper(case: Case, tmp_path: Path) -> None:
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": SHEET.format(**LEFT),
        "sites/marram.toml": SHEET.format(**RIGHT),
    }
    files |= {
        "quayhead/c.jsonl": _rows("quayhead", A, (0, 0, 0), (2, 9, 9)),
        "marram/c.jsonl": _rows("marram", B, (0, 0, 0), (2, 9, 4)),
    }
    for name in ("c.svg", "c.pdf"):
        draw(case(files), "counters", None, tmp_path / name)
    assert "5 lost, 55.6 %" in (tmp_path / "c.svg").read_text("utf-8")
