"""Logs and records read in worker processes: the same evidence in the same order, the rest left to the caller, and a stop at once."""

from __future__ import annotations

import time
from collections.abc import Iterator
from concurrent.futures import BrokenExecutor
from itertools import islice
from pathlib import Path
from typing import Any

import pytest

from stomion.case.evidence import Evidence
from stomion.errors import Cancelled
from stomion.ingest import folder, workers
from stomion.ingest.folder import read_case
from stomion.jobs.demo import write_fleet
from stomion.jobs.examine import examine
from stomion.jobs.summary import as_json_bytes, summary_of


@pytest.fixture
def fleet(tmp_path: Path) -> Path:
    folder = tmp_path / "fleet"
    write_fleet(folder, 20)
    (folder / "station0001" / "ping.txt").write_text(
        "$ ping -c 2 10.96.0.10\n2 packets transmitted, 0 received, 100% packet loss, time 1001ms\n"
    )
    (folder / "station0002" / "forwarding.txt").write_text("net.ipv4.ip_forward = 1\n")
    (folder / "station0003" / "notes.txt").write_text("nothing of any use\n")
    return folder


def _in_workers(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(workers, "LEAST_BYTES", 0)
    monkeypatch.setattr(workers, "processors", lambda: 2)


def _told(evidence: Evidence) -> list[object]:
    logs = [(log.file, log.lines, log.looked_at, log.events) for log in evidence.logs]
    counters = [(s.file, s.first, s.last, s.lines, s.at, s.out, s.back) for s in evidence.counters]
    return [
        logs,
        counters,
        evidence.tests,
        evidence.sources,
        evidence.problems,
        evidence.not_recognised,
        sorted(evidence.tables),
    ]


@pytest.mark.parametrize("fork", [True, False])
def test_workers_tell_the_same_in_the_same_order(fleet: Path, monkeypatch: pytest.MonkeyPatch, fork: bool) -> None:
    # Marks of secrets too: equal ones are equal, whoever read them.
    for station in ("station0001", "station0002"):
        log = fleet / station / "psk.log"
        log.write_text(f'2026-05-04T10:00:00Z ike: pre-shared key "Tidepool9{station[-1]}" refused by 192.0.2.1\n')
    if not fork:
        monkeypatch.setattr(workers, "can_fork", lambda: False)
    alone = read_case([fleet])
    assert ("station0002", "") in alone.tables
    _in_workers(monkeypatch)
    assert _told(read_case([fleet])) == _told(alone)


def test_where_a_worker_dies_the_rest_is_read_here(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    alone = read_case([fleet])
    _in_workers(monkeypatch)
    real = workers.read_many

    def dying(*args: Any) -> Iterator[workers.Answer]:
        yield from islice(real(*args), 5)
        raise BrokenExecutor

    monkeypatch.setattr(folder, "read_many", dying)
    assert _told(read_case([fleet])) == _told(alone)


def test_a_stop_ends_the_workers(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    _in_workers(monkeypatch)
    begun = time.monotonic()
    seen: list[str] = []

    def tick(name: str, _count: int) -> None:
        seen.append(name)
        if name.endswith((".txt", ".log")):
            raise Cancelled

    with pytest.raises(Cancelled):
        read_case([fleet], tick)
    assert seen
    assert time.monotonic() - begun < 30


def test_a_fleet_s_faults_are_found(fleet: Path) -> None:
    found = summary_of(examine([fleet]))
    codes = {t.name[-4:]: t.first_fault.code if t.first_fault else t.status for t in found.tunnels}
    assert [codes[f"{n:04d}"] for n in range(1, 11)] == [
        "working", "working", "working", "ike-proposal-mismatch", "working", "key-mismatch", "working", "selectors-unacceptable", "working",
        "unproven",
    ]  # fmt: skip
    assert b"unproven" in as_json_bytes(found)
