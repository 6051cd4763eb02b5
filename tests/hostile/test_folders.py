"""Folders that are closed, linked, or crowded, and pieces of packets that never make a whole."""

from __future__ import annotations

import errno
import os
from pathlib import Path
from typing import Any

import pytest

from stomion.cli.text import check_text
from stomion.errors import UsageError
from stomion.ingest import folder
from stomion.ingest.folder import read_case
from stomion.ingest.fragments import MAX_TRIES, Reassembler
from stomion.jobs.decoding import decode_file
from stomion.jobs.examine import examine
from stomion.jobs.places import open_text
from stomion.jobs.summary import summary_of

LOG = "2026-05-04T09:14:00Z north ike: no proposal chosen by peer 192.0.2.1\n"


def _case(root: Path, *sites: str) -> Path:
    for site in sites:
        (root / site).mkdir(parents=True)
        (root / site / "ike.log").write_text(LOG)
    return root


def test_files_of_any_name_are_read_and_opened(tmp_path: Path) -> None:
    odd = ("x", "x\udcff", "x\udcfe", "\x1b[2J\n.log")
    for number, name in enumerate(odd):
        path = tmp_path / "north" / name
        path.parent.mkdir(exist_ok=True)
        path.write_text(LOG.replace("192.0.2.1", f"192.0.2.{number}"))
    examined = examine([tmp_path], keep=False)
    files = {log.file: log.events[0].peer for log in examined.evidence.logs}
    assert sorted(files) == ["north/x", "north/x\ufffd", "north/x\ufffd (2)", "north/\ufffd .log"]
    for file, peer in files.items():
        assert str(peer) in open_text(examined, file).line(1)


def test_links_are_said_and_not_followed_out_of_the_case(tmp_path: Path) -> None:
    case = _case(tmp_path / "case", "north")
    secret = tmp_path / "elsewhere.log"
    secret.write_text(LOG)
    (case / "south").symlink_to(_case(tmp_path / "other", "far"))
    (case / "north" / "out.log").symlink_to(secret)
    (case / "north" / "again.log").symlink_to("ike.log")
    evidence = read_case([case])
    assert sorted(n.file for n in evidence.not_recognised) == ["north/out.log", "south"]
    assert all("link" in n.why for n in evidence.not_recognised)
    assert sorted(log.file for log in evidence.logs) == ["north/again.log", "north/ike.log"]


def test_a_crowded_folder_leaves_the_others_their_share(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(folder, "MAX_FILES", 20)
    case = _case(tmp_path / "case", "north", "south")
    (case / "aaa").mkdir()
    for number in range(60):
        (case / "aaa" / f"{number:03d}.bin").write_bytes(bytes(range(200, 250)))
    evidence = read_case([case])
    assert {log.file for log in evidence.logs} == {"north/ike.log", "south/ike.log"}
    assert len(evidence.sources) + len(evidence.not_recognised) == 20
    assert any("more than 20 files" in p.text for p in evidence.problems)


def test_many_files_that_are_nothing_do_not_bury_the_rest(tmp_path: Path) -> None:
    case = _case(tmp_path / "case", "north")
    for number in range(60):
        (case / "north" / f"{number:03d}.bin").write_bytes(bytes(range(200, 250)))
    text = check_text(summary_of(examine([case])))
    assert text.count("not recognised: ") == 41
    assert "not recognised: 20 more files" in text


def test_a_closed_home_or_case_folder_costs_its_phrases_alone(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    case = _case(tmp_path / "case", "north")
    real = os.stat

    def closed(path: Any, *args: Any, **more: Any) -> os.stat_result:
        if str(path).endswith("phrasebook.toml"):
            raise PermissionError(errno.EACCES, "Permission denied", str(path))
        return real(path, *args, **more)

    monkeypatch.setattr(os, "stat", closed)
    assert len(read_case([case]).logs) == 1


def test_a_file_whose_reading_fails_is_one_line(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "x.pcap"
    path.write_bytes(b"abc")

    def fails(_path: Path) -> Any:
        raise OSError(errno.EIO, "Input/output error")

    monkeypatch.setattr("stomion.jobs.decoding.open_input", fails)
    with pytest.raises(UsageError, match=r"x\.pcap: Input/output error"):
        decode_file(path)


def _piece(offset: int, more: bool, body: bytes) -> bytes:
    flags = (0x2000 if more else 0) | offset // 8
    head = (
        bytes((0x45, 0))
        + (20 + len(body)).to_bytes(2, "big")
        + b"\1\2"
        + flags.to_bytes(2, "big")
        + bytes((64, 17, 0, 0))
    )
    return head + bytes((192, 0, 2, 1)) + bytes((192, 0, 2, 2)) + body


def test_pieces_with_a_hole_are_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    """Overlapping pieces whose bytes would do and that still leave a hole: each further one could be tried without end."""
    assembler, tries = Reassembler(), []
    real = sorted
    monkeypatch.setattr("stomion.ingest.fragments.sorted", lambda rows: tries.append(1) or real(rows), raising=False)
    for number in range(400):
        assert assembler.feed(0.0, number, _piece(8 * number, True, b"a" * 64)) is None
    for number in range(8_000):
        assert assembler.feed(0.0, number, _piece(40_000, False, b"b" * (8 + number % 3))) is None
        assert assembler.feed(0.0, number, _piece(8 * (number % 400), True, b"c" * 640)) is None
    assert len(tries) <= 20 * MAX_TRIES
    assert assembler.given_up >= 1


def test_whole_packets_still_come_together() -> None:
    assembler = Reassembler()
    assert assembler.feed(0.0, 1, _piece(16, False, b"c" * 8)) is None
    assert assembler.feed(0.0, 2, _piece(8, True, b"b" * 8)) is None
    whole = assembler.feed(0.0, 3, _piece(0, True, b"a" * 8))
    assert whole is not None
    assert whole[20:] == b"a" * 8 + b"b" * 8 + b"c" * 8
