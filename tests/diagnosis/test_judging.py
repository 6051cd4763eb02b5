"""Tunnels judged in two processes: the same verdicts in the same order, also where the second process fails, and a stop at once."""

from __future__ import annotations

import multiprocessing
import os
from pathlib import Path

import pytest

from stomion.diagnosis.runner import Diagnosis, diagnose
from stomion.errors import Cancelled
from stomion.ingest.folder import read_case
from stomion.jobs import judging
from stomion.jobs.demo import write_fleet
from stomion.tunnel.build import pictures
from stomion.tunnel.picture import Picture

pytestmark = pytest.mark.skipif(not hasattr(os, "fork"), reason="this system makes no copies of processes")


@pytest.fixture
def fleet(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> list[Picture]:
    write_fleet(tmp_path / "fleet", 12)
    monkeypatch.setattr(judging, "LEAST", 4)
    monkeypatch.setattr(judging, "can_fork", lambda: True)
    return list(pictures(read_case([tmp_path / "fleet"])))


def _nothing() -> None:
    pass


def _said(found: tuple[Diagnosis, ...]) -> list[object]:
    return [(d.picture.name, d.status, d.stages, d.findings, d.crashed) for d in found]


def test_two_processes_say_the_same(fleet: list[Picture], monkeypatch: pytest.MonkeyPatch) -> None:
    here: list[str] = []
    monkeypatch.setattr(judging, "diagnose", lambda p: (here.append(p.name), diagnose(p))[1])
    found = judging.judged(fleet, _nothing)
    assert here == [p.name for p in fleet[: len(fleet) // 2]]
    assert _said(found) == _said(tuple(map(diagnose, fleet)))
    assert all(d.picture is p for d, p in zip(found, fleet, strict=True))


def test_a_second_process_that_dies_leaves_nothing_out(fleet: list[Picture], monkeypatch: pytest.MonkeyPatch) -> None:
    own = os.getpid()

    def dying(picture: Picture) -> Diagnosis:
        if os.getpid() != own:
            os._exit(9)
        return diagnose(picture)

    monkeypatch.setattr(judging, "diagnose", dying)
    assert len(judging.judged(fleet, _nothing)) == len(fleet)


def test_what_fails_in_both_is_said_by_the_first(fleet: list[Picture], monkeypatch: pytest.MonkeyPatch) -> None:
    def failing(picture: Picture) -> Diagnosis:
        if picture is fleet[-1]:
            raise ArithmeticError(picture.name)
        return diagnose(picture)

    monkeypatch.setattr(judging, "diagnose", failing)
    with pytest.raises(ArithmeticError, match=fleet[-1].name):
        judging.judged(fleet, _nothing)


def test_stopping_stops_both(fleet: list[Picture]) -> None:
    asked: list[int] = []

    def check() -> None:
        asked.append(1)
        if len(asked) == 3:
            raise Cancelled

    with pytest.raises(Cancelled):
        judging.judged(fleet, check)
    assert not multiprocessing.active_children()
