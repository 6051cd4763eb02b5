"""Both ends' counters around what was tried: in which direction packets are lost, or that they are not answered."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.model.finding import Certainty, Status
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]


def _read(site: str, second: int, out: int, back: int, **errors: int) -> str:
    row = {
        "kind": "counters",
        "at": f"2026-05-04T09:{second // 60:02d}:{second % 60:02d}Z",
        "site": site,
        "tunnel": "t",
    }
    spis = (
        {"spi_in": "aa11aa11", "spi_out": "bb22bb22"}
        if site == "quayhead"
        else {"spi_in": "bb22bb22", "spi_out": "aa11aa11"}
    )
    return json.dumps({**row, **spis, "packets_out": out, "packets_in": back, "errors": errors}) + "\n"


def _test(received: int, second: int = 5) -> str:
    row = {
        "kind": "test",
        "at": f"2026-05-04T09:00:{second:02d}Z",
        "from": "quayhead/host-a",
        "to": "10.66.0.9",
        "service": "icmp",
    }
    return json.dumps({**row, "sent": 20, "received": received, "expected": "reach"}) + "\n"


def _files(quayhead: str, marram: str, tests: str) -> dict[str, str | bytes]:
    files = {"sites/quayhead.toml": SHEET.format(**LEFT), "sites/marram.toml": SHEET.format(**RIGHT)}
    rows = {"quayhead/counters.jsonl": quayhead, "marram/counters.jsonl": marram, "path/t.jsonl": tests}
    return {**files, **{name: text for name, text in rows.items() if text}}


def _pair(site: str, out: int, back: int, last: int = 60, **errors: int) -> str:
    return _read(site, 0, 100, 100) + _read(site, last, 100 + out, 100 + back, **errors)


Q, M = "quayhead", "marram"
CASES: dict[str, tuple[str, str, int, list[str], tuple[str, ...], Certainty]] = {
    "carried": (_pair(Q, 20, 20), _pair(M, 20, 20), 20, [], (), Certainty.LIKELY),
    "lost on the way": (_pair(Q, 20, 0), _pair(M, 0, 0), 0, ["esp-lost-in-path"], ("path",), Certainty.LIKELY),
    "lost on the way back": (_pair(Q, 20, 0), _pair(M, 20, 20), 0, ["esp-lost-in-path"], ("path",), Certainty.LIKELY),
    "not answered": (_pair(Q, 20, 0), _pair(M, 0, 20), 0, ["one-way-return"], (M,), Certainty.LIKELY),
    "one end's alone, none back": (_pair(Q, 20, 0), "", 0, ["esp-lost-in-path"], ("path",), Certainty.POSSIBLE),
    "the far end's alone, none sent back": ("", _pair(M, 0, 20), 0, ["one-way-return"], (M,), Certainty.LIKELY),
    "the far end lists its SA no more": (
        _pair(Q, 20, 0), _read(M, 0, 100, 100), 0, ["sa-at-one-end"], (M,), Certainty.LIKELY),
    "never entered the tunnel": (_pair(Q, 0, 0), _pair(M, 0, 0), 0, ["test-fails-unexplained"], (M,), Certainty.POSSIBLE),
    "read long after": (_pair(Q, 20, 0, 1800), _pair(M, 0, 0, 1800), 0, ["test-fails-unexplained"], (M,), Certainty.POSSIBLE),
    "thrown away as changed": (_pair(Q, 20, 20), _pair(M, 20, 20, integrity=15), 20, ["integrity-failures"], ("path",), Certainty.LIKELY),
    "thrown away as replayed": (_pair(Q, 20, 20), _pair(M, 20, 20, replay=15), 20, ["replay-drops"], ("path",), Certainty.LIKELY),
    "a few replayed": (_pair(Q, 20, 20), _pair(M, 20, 20, replay=3), 20, [], (), Certainty.LIKELY),
    "a few of very many": (_pair(Q, 9000, 20), _pair(M, 20, 9000, replay=12), 20, [], (), Certainty.LIKELY),
}  # fmt: skip


@pytest.mark.parametrize(
    ("rows", "tests", "codes"),
    [
        (_pair(Q, 20, 20), _test(0).replace("09:00", "12:00"), ["counters-stale", "test-fails-unexplained"]),
        (_pair(Q, 20, 20), _test(20).replace("09:00", "12:00"), []),
        (_read(Q, 0, 100, 100) + _read(Q, 40, 100, 100) + _read(Q, 60, 120, 120), _test(20), ["counters-stale"]),
        (_read(Q, 0, 100, 100) + _read(Q, 40, 120, 120) + _read(Q, 60, 120, 120), _test(20), []),
        (_read(Q, 0, 100, 100) + _read(Q, 40, 100, 100), _test(20), []),
    ],
    ids=[
        "long before a failure",
        "long before a success",
        "handed out again",
        "moved as it should",
        "one that never moves",
    ],
)
def test_readings_that_prove_nothing(case: Case, rows: str, tests: str, codes: list[str]) -> None:
    (tunnel,) = case(_files(rows, "", tests)).tunnels
    assert sorted(f.code for f in tunnel.findings) == codes
    assert tunnel.first_fault is None


@pytest.mark.parametrize(("left", "right", "received", "codes", "sides", "certainty"), CASES.values(), ids=CASES.keys())
def test_how_far_they_came(
    case: Case, left: str, right: str, received: int, codes: list[str], sides: tuple[str, ...], certainty: Certainty
) -> None:
    (tunnel,) = case(_files(left, right, _test(received))).tunnels
    assert [f.code for f in tunnel.findings] == codes
    if codes:
        assert (tunnel.findings[0].sides, tunnel.findings[0].certainty) == (sides, certainty)
    else:
        assert tunnel.status is Status.WORKING


def test_a_part_that_is_answered_mixes_the_counts(case: Case) -> None:
    web = _test(20, 6).replace('"icmp"', '"tcp/80"')
    (tunnel,) = case(_files(_pair(Q, 20, 0), _pair(M, 0, 0), _test(0) + web)).tunnels
    assert [f.code for f in tunnel.findings] == ["test-fails-unexplained"]


@pytest.mark.parametrize(
    ("sent_after", "silent_s", "codes"), [(40, 60, ["esp-lost-in-path"]), (4, 60, []), (40, 5, [])]
)
def test_from_a_moment_on_nothing_arrives(case: Case, sent_after: int, silent_s: int, codes: list[str]) -> None:
    left = _read(Q, 0, 0, 0) + _read(Q, 30, 50, 50) + _read(Q, 30 + silent_s, 50 + sent_after, 50)
    right = _read(M, 0, 0, 0) + _read(M, 30, 50, 50) + _read(M, 30 + silent_s, 50, 50)
    (tunnel,) = case(_files(left, right, "")).tunnels
    assert [f.code for f in tunnel.findings] == codes
    if codes:
        assert tunnel.findings[0].facts["since"] == "2026-05-04T09:00:30.000+00:00"
        assert "since 09:00:30.000" in tunnel.findings[0].summary


@pytest.mark.parametrize("errors", [None, {"replay": "many", "integrity": None}, {"replay": -5}, {}])
def test_errors_that_are_no_numbers_cost_no_reading(case: Case, errors: object) -> None:
    rows = "".join(json.dumps({**json.loads(row), "errors": errors}) + "\n" for row in _pair(M, 20, 20).splitlines())
    examined = case(_files(_pair(Q, 20, 20), rows, _test(20)))
    assert examined.tunnels[0].findings == () and not examined.evidence.problems
    assert all(end.has_counters for end in examined.tunnels[0].picture.ends)
