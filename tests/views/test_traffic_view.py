"""The traffic's drawing: wanted against seen, running pings with the changes that fit their breaks, and the ladder near to far."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.tui.pages.traffic import detail, page
from stomion.tui.spans import width_of
from stomion.views.traffic import TrafficDrawing, first_failing, traffic_of
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
LAN = (
    '[[interface]]\nname = "lan0"\naddresses = ["{}"]\nzone = "inside"\n'
    '[[route]]\ndestination = "0.0.0.0/0"\nvia = "{}"\ninterface = "wan0"\n'
)


def _test(
    to: str,
    received: int,
    service: str = "icmp",
    expected: str = "reach",
    who: str = "quayhead/desk",
    at: str = "09:00:00",
) -> dict[str, object]:
    row = {"kind": "test", "at": f"2026-05-04T{at}Z", "from": who, "to": to, "service": service, "sent": 5}
    return {**row, "received": received, "expected": expected}


def _drawing(case: Case, rows: list[dict[str, object]], expects: str = "") -> TrafficDrawing:
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": SHEET.format(**LEFT) + LAN.format("10.96.0.1/20", "192.0.2.9"),
        "sites/marram.toml": SHEET.format(**RIGHT) + LAN.format("10.66.0.1/21", "198.51.100.33"),
        "path/r.jsonl": "".join(json.dumps(row) + "\n" for row in rows) or "{}\n",
        "case.toml": f'title = "x"\n{expects}',
    }
    return traffic_of(case(files).tunnels[0])


@pytest.mark.parametrize(
    ("received", "expected", "fares"),
    [
        (5, "reach", "passes"),
        (0, "reach", "fails"),
        (0, "blocked", "blocked"),
        (5, "blocked", "leaks"),
        (2, "reach", "partly"),
    ],
)
def test_wanted_against_seen(case: Case, received: int, expected: str, fares: str) -> None:
    (matrix,) = _drawing(case, [_test("10.66.0.9", received, expected=expected)]).matrices
    assert (matrix.sources, matrix.targets) == (("desk",), ("10.66.0.9",))
    assert [e.fares for e in matrix.cells["desk", "10.66.0.9"]] == [fares]


def test_the_latest_attempt_counts_and_what_nobody_tried_is_shown(case: Case) -> None:
    rows = [_test("10.66.0.9", 0), _test("10.66.0.9", 5, at="09:10:00"), _test("10.66.0.1", 5, who="quayhead/desk")]
    expects = '[[expect]]\nfrom = "quayhead/desk"\nto = "10.66.0.9"\nservice = "tcp/443"\noutcome = "reach"\n'
    (matrix,) = _drawing(case, rows, expects).matrices
    assert [(e.name, e.fares) for e in matrix.cells["desk", "10.66.0.9"]] == [
        ("ping", "passes"),
        ("tcp/443", "untried"),
    ]
    assert matrix.targets == ("10.66.0.9", "the gateway")


def _pings(stops_at: int, back_at: int = 99) -> list[dict[str, object]]:
    row = {"kind": "ping", "from": "quayhead/desk", "to": "10.66.0.9"}
    lost = range(stops_at, back_at)
    return [
        {**row, "at": f"2026-05-04T09:00:{n:02d}Z", "seq": n, "rtt_ms": None if n in lost else 5.0} for n in range(40)
    ]


def _event(second: float, subject: str = "block guests") -> dict[str, object]:
    return {
        "kind": "event",
        "at": f"2026-05-04T09:00:{second:06.3f}Z",
        "site": "marram",
        "what": "rule-changed",
        "subject": subject,
        "detail": "on",
    }


@pytest.mark.parametrize(
    ("change", "back_at", "says"),
    [
        (19.6, 99, "no answer from 09:00:20.0 on, 20 lost; 0.4 s after rule changed “block guests” at marram"),
        (5.0, 99, "no answer from 09:00:20.0 on, 20 lost"),
        (30.0, 26, "no answer from 09:00:20.0 to 09:00:26.0, 6 lost"),
    ],
    ids=["a change right before", "a change long before", "a break that ends"],
)
def test_a_break_and_the_change_that_fits(case: Case, change: float, back_at: int, says: str) -> None:
    (strip,) = _drawing(case, [*_pings(20, back_at), _event(change)]).strips
    assert [b.says for b in strip.breaks] == [says]


def test_a_strip_in_pieces(case: Case) -> None:
    (strip,) = _drawing(case, _pings(20)).strips
    assert strip.shares(4) == [1.0, 1.0, 0.0, 0.0]


def test_the_nearest_step_that_fails(case: Case) -> None:
    rows = [_test("192.0.2.9", 5, who="quayhead"), _test("198.51.100.34", 0, who="quayhead"), _test("10.66.0.9", 0)]
    ladders = {end.site: rungs for end, rungs in _drawing(case, rows).ladders}
    assert [r.fares for r in ladders["quayhead"]] == ["", "passes", "fails", "", "fails", ""]
    first = first_failing(ladders["quayhead"])
    assert first is not None
    assert first.name == "peer's address"
    proven = _drawing(case, [*rows, _test("10.66.0.9", 5, at="09:30:00")])
    assert all(first_failing(rungs) is None for _, rungs in proven.ladders)


@pytest.mark.parametrize("width", [60, 100, 160])
def test_the_page_fits_and_a_cell_is_spelled_out(case: Case, width: int) -> None:
    rows = [
        _test(f"10.66.0.{n}", n % 2 * 5, service)
        for n in range(9, 19)
        for service in ("icmp", "tcp/80", "tcp/443", "udp/53", "tcp/8080")
    ]
    drawing = _drawing(case, [*rows, *_pings(20)])
    built = page(drawing, width, 9)
    assert max(width_of(line) for line, _ in built) <= width
    item = next(item for _, item in built if item.matrix is not None)
    assert item.matrix is not None
    spelled = detail(item.matrix, item.source, 9, width)
    assert len({where for _, where in spelled}) == 5
    assert sum("10.66.0.18" in "".join(text for text, _ in line) for line, _ in spelled) == 5


@pytest.mark.parametrize(
    ("rows", "outcome", "fares", "says"),
    [
        ([], "reach", "untried", "nobody tried it; wanted, not tried; the tables let all of it pass"),
        ([_test("10.66.0.9", 5), _test("10.66.0.10", 5)], "reach", "passes", "(10 of 10 answered)"),
        ([_test("10.66.0.9", 5), _test("10.66.0.10", 0)], "reach", "partly", "(5 of 10 answered)"),
        (
            [_test("10.66.0.9", 5)],
            "blocked",
            "leaks",
            "it does not hold for 10.96.0.0/20 to 10.66.0.0/21 except 10.66.0.1 icmp",
        ),
        ([_test("10.66.0.9", 5, "tcp/80")], "reach", "untried", "nobody tried it"),
    ],
)
def test_a_declared_range_has_a_cell_of_its_own(
    case: Case, rows: list[dict[str, object]], outcome: str, fares: str, says: str
) -> None:
    expects = f'[[expect]]\nfrom = "quayhead"\nto = "10.66.0.0/21"\nservice = "icmp"\noutcome = "{outcome}"\n'
    (matrix,) = _drawing(case, rows, expects).matrices
    assert [e.fares for e in matrix.cells["its LAN", "10.66.0.0/21"]] == [fares]
    told = " ".join(
        text for line, _ in detail(matrix, "its LAN", matrix.targets.index("10.66.0.0/21"), 200) for text, _ in line
    )
    assert says in told
