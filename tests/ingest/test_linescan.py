"""Lines of a log found block by block, and how many of them are looked at."""

from __future__ import annotations

import io
import time
from pathlib import Path

import pytest

from stomion.ingest import files, logfile
from stomion.ingest.files import LineScan
from stomion.ingest.folder import read_case
from stomion.ingest.logfile import finder
from stomion.ingest.secondlook import LARGE

LINES = [f"{n} ike up" if n % 2 else f"{n} quiet" for n in range(1, 41)]
FOUND = [n for n in range(1, 41) if n % 2]


def _scan(text: str) -> tuple[LineScan, list[int]]:
    scan = LineScan(io.BytesIO(text.encode()), finder(()))
    return scan, [number for number, _ in scan]


@pytest.mark.parametrize("block", [16, 23, 64, 1 << 20])
def test_every_line_with_a_word_is_found(block: int, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "BLOCK", block)
    scan, found = _scan("\n".join(LINES))
    assert (found, scan.lines, scan.left_out) == (FOUND, 40, 0)


def test_the_first_and_the_last_of_very_many_are_looked_at(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "MOST_FOUND", 3)
    scan, found = _scan("\n".join(LINES))
    assert found == FOUND[:3] + FOUND[-3:]
    assert (scan.left_out, scan.lines) == (14, 40)


def test_long_lines_count_by_their_bytes(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "MOST_BYTES", 30)
    scan, found = _scan("\n".join(LINES))
    assert found[0] == 1
    assert found[-1] == 39
    assert scan.left_out == len(FOUND) - len(found) > 0


def test_a_line_without_an_end_costs_no_more_than_its_bytes() -> None:
    def spent(letters: int) -> float:
        begun = time.process_time()
        _scan("ike peer\n" + "a" * letters)
        return time.process_time() - begun

    spent(1 << 16)
    assert spent(1 << 24) < 64 * max(spent(1 << 20), 0.002)


def test_pieces_of_phrases_are_found_as_they_are_written() -> None:
    assert finder(("kante (x|y)",)).search(b"die kante (x|y) fehlt") is not None
    assert finder(("kante (x|y)",)).search(b"die kante x fehlt") is None


@pytest.mark.parametrize(
    ("words", "again"), [("child SA established with", False), ("the frobs are glinted with", True)]
)
def test_a_large_log_in_known_words_is_gone_through_once(
    words: str, again: bool, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    looks: list[int] = []
    monkeypatch.setattr(logfile, "told_twice", lambda events, *_: looks.append(len(events)) or events)
    lines = (
        f"2026-06-01T09:00:{n % 60:02d}Z gate ike: tunnel {n}: {words} 192.0.2.44, negotiation {n}"
        for n in range(7_000)
    )
    log = tmp_path / "south" / "gate.log"
    log.parent.mkdir()
    log.write_text("\n".join(lines))
    assert log.stat().st_size > LARGE
    assert read_case([tmp_path]).logs or again
    assert bool(looks) == again
