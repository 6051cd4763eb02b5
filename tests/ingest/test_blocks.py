"""Records decoded in blocks: the same as line by line, wherever a block ends and whatever stands between them."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from stomion.case.evidence import Evidence
from stomion.ingest import records
from stomion.ingest.item import Item
from stomion.ingest.reading import Reading, Years
from stomion.measure import gathering
from stomion.vocabulary.clean import MAX_LINE

COUNTS = {"kind": "counters", "at": "2026-05-04T09:10:00Z", "site": "a", "spi_in": "1", "spi_out": "2"}
GOOD = [
    COUNTS | {"packets_out": 7, "errors": {"replay": 3}},
    COUNTS | {"at": "2026-05-04T09:09:00Z", "packets_out": 5},
    COUNTS | {"at": "never", "spi_in": "3"},
    {"kind": "ping", "at": "2026-05-04T09:09:00Z", "from": "a/b", "to": "10.0.0.9", "seq": 4},
    {"kind": "test", "at": "2026-05-04T09:09:00Z", "from": "a/b", "to": "10.0.0.9", "error": "na\u00efve \u202e"},
    {"kind": "event", "at": "2026-05-04T09:09:00Z", "what": "route-changed"},
]
LINES = [
    *(json.dumps(row).encode() for row in GOOD), json.dumps(GOOD[4], ensure_ascii=False).encode(), b"", b"  ", b"{", b"[1]",
    json.dumps(COUNTS | {"packets_in": -1}).encode(), json.dumps(COUNTS | {"bytes_in": 1 << 63}).encode(),
    b'{"kind": "ping"}', b"\xff\xfe", b'{"kind": "event", "what": "x", "at": "' + b"9" * (MAX_LINE + 10) + b'"}',
]  # fmt: skip


def _read(path: Path, block: int) -> list[object]:
    evidence = Evidence()
    item = Item(path=path, name="r.jsonl", site=None, host=None, place="path")
    years = Years()
    before, records.BLOCK = records.BLOCK, block
    try:
        records._read(Reading(item, b"", 0, evidence, lambda _name, _count: None, years))
    finally:
        records.BLOCK = before
    rows = [(s.first, s.last, s.last_line, s.lines, s.at, s.out, s.back, s.replay) for s in evidence.counters]
    return [
        rows,
        evidence.tests,
        evidence.pings,
        evidence.happenings,
        evidence.problems,
        evidence.sources,
        years.seen,
    ]


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(picked=st.lists(st.sampled_from(range(len(LINES))), max_size=12), block=st.integers(1, 400), end=st.booleans())
def test_where_a_block_ends_makes_no_difference(tmp_path: Path, picked: list[int], block: int, end: bool) -> None:
    path = tmp_path / "r.jsonl"
    path.write_bytes(b"\n".join(LINES[n] for n in picked) + (b"\n" if end else b""))
    whole = _read(path, 1 << 20)
    assert _read(path, block) == whole
    assert _read(path, 1) == whole


def test_a_series_keeps_its_first_and_last_moment(tmp_path: Path) -> None:
    path = tmp_path / "r.jsonl"
    path.write_text("".join(json.dumps(row) + "\n" for row in GOOD[:2]))
    ((rows, *_),) = (_read(path, 1 << 18),)
    ((first, last, line, lines, _, out, _, replay),) = rows  # type: ignore[attr-defined]
    assert (first.packets_out, last.packets_out, line) == (5, 7, 1)
    assert (list(lines), list(out), list(replay)) == ([1, 2], [7, 5], [3, 0])


@pytest.mark.parametrize("held", [1, 3, 7, 1000])
def test_readings_of_several_sas_in_turn_give_the_columns_of_one_after_the_other(
    tmp_path: Path, held: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(gathering, "HELD", held)
    rows = [
        json.dumps(GOOD[0] | {"spi_in": spi, "at": f"2026-05-04T10:0{minute}:00Z", "packets_out": minute * 10})
        for minute in range(6)
        for spi in ("aa", "bb", "cc")
    ]
    columns = []
    for name, order in (("turns.jsonl", rows), ("sorted.jsonl", [row for n in range(3) for row in rows[n::3]])):
        path = tmp_path / name
        path.write_text("\n".join(order) + "\n")
        columns.append(_read(path, 400)[0])
    turns, one_by_one = (
        [(first.spi_in, first.at, last.at, list(at), list(out)) for first, last, _, _, at, out, *_ in found]  # type: ignore[attr-defined]
        for found in columns
    )
    assert turns == one_by_one
    assert [row[0] for row in turns] == ["aa", "bb", "cc"]


@pytest.mark.parametrize("count", [-1, 1 << 63, 1.5, "7"])
def test_what_is_no_count_is_said(tmp_path: Path, count: object) -> None:
    path = tmp_path / "r.jsonl"
    path.write_text(json.dumps(GOOD[1] | {"packets_in": count}) + "\n")
    rows, *_, problems, _, _ = _read(path, 1 << 18)
    assert rows == []
    assert len(problems) == 1  # type: ignore[arg-type]
