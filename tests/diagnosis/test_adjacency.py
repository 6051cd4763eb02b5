"""Routing protocols over a tunnel: neighbours that are lost, and what hangs on them."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of
from stomion.jobs.unused import unused
from stomion.model.finding import Certainty, Stage
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
UP = "2026-05-04T09:00:00Z quayhead routed: neighbour 169.254.61.2 on tun0 is up, exchange complete\n"
DOWN = "2026-05-04T09:10:00Z quayhead routed: neighbour 169.254.61.2 on tun0 is down, silent for 40 s\n"
AGAIN = "2026-05-04T09:20:00Z quayhead routed: neighbour 169.254.61.2 on tun0 is up\n"
STUCK = "2026-05-04T09:20:00Z quayhead ospf: neighbour 169.254.61.2 on tun0 stuck in exstart\n"
OTHER = "2026-05-04T09:10:00Z quayhead routed: neighbour 10.200.0.9 on lan3 is down, silent for 40 s\n"
REFUSED = "2026-05-04T09:09:00Z quayhead ike: peer 198.51.100.34: received NO_PROPOSAL_CHOSEN for the IKE SA\n"


def _sheet(values: dict[str, object], link: str) -> str:
    text = SHEET.format(**values).replace("local_ts", 'style = "route"\ninterface = "tun0"\nlocal_ts', 1)
    return text + f'[[interface]]\nname = "tun0"\naddresses = ["{link}"]\nzone = "tunnel"\n'


def _files(log: str, name: str = "quayhead/routing.log") -> dict[str, str | bytes]:
    return {
        "sites/quayhead.toml": _sheet(LEFT, "169.254.61.1/30"),
        "sites/marram.toml": _sheet(RIGHT, "169.254.61.2/30"),
        name: log,
    }


CASES = {
    "lost": (UP + DOWN, Certainty.PROVEN),
    "never more than on its way": (STUCK, Certainty.POSSIBLE),
    "lost and back": (UP + DOWN + AGAIN, None),
    "up": (UP, None),
    "another link's": (UP + OTHER, None),
}


@pytest.mark.parametrize(("log", "certainty"), CASES.values(), ids=CASES.keys())
def test_a_neighbour(case: Case, log: str, certainty: Certainty | None) -> None:
    (diagnosis,) = case(_files(log)).tunnels
    found = [f for f in diagnosis.findings if f.code == "routing-neighbour-lost"]
    assert [f.certainty for f in found] == ([certainty] if certainty else [])
    for finding in found:
        assert finding.caution
        assert "169.254.61.2" in finding.summary
        assert finding.evidence[0].line == log.count("\n")


def test_the_fault_that_takes_it_down_is_named_instead(case: Case) -> None:
    (diagnosis,) = case({**_files(UP + DOWN), "quayhead/ike.log": REFUSED}).tunnels
    assert [f.code for f in diagnosis.findings if not f.caution] == ["ike-proposal-mismatch"]
    assert "routing-neighbour-lost" not in {f.code for f in diagnosis.findings}


def test_lines_among_those_of_a_negotiation_and_records(case: Case) -> None:
    (diagnosis,) = case(_files(REFUSED.replace("09:09", "08:00") + UP, "quayhead/gateway.log")).tunnels
    assert [(a.address, a.last.what) for a in diagnosis.picture.adjacencies] == [("169.254.61.2", "neighbour-up")]


def test_records_of_a_neighbour(case: Case) -> None:
    row = {
        "kind": "event",
        "at": "2026-05-04T09:10:00Z",
        "site": "quayhead",
        "what": "neighbour-down",
        "subject": "169.254.61.2",
    }
    (diagnosis,) = case(_files(json.dumps(row) + "\n", "quayhead/events.jsonl")).tunnels
    assert "routing-neighbour-lost" in {f.code for f in diagnosis.findings}


def test_the_stage_tells_of_neighbours_and_learned_routes(case: Case) -> None:
    routes = [
        {"dst": "198.51.100.34", "dev": "wan0"},
        {"dst": "10.66.0.0/21", "gateway": "169.254.61.2", "dev": "tun0", "protocol": "bgp"},
        {"dst": "169.254.61.0/30", "dev": "tun0", "protocol": "kernel"},
    ]
    (diagnosis,) = case({**_files(UP), "quayhead/routes.json": json.dumps(routes)}).tunnels
    stage = next(s for s in diagnosis.stages if s.stage is Stage.ROUTING)
    words = stage.says[[e.site for e in diagnosis.picture.ends].index("quayhead")]
    assert "neighbour 169.254.61.2 up" in words
    assert "1 route learned (bgp)" in words


def test_a_missing_route_names_the_neighbour_it_came_from(case: Case) -> None:
    tests = {
        "kind": "test",
        "at": "2026-05-04T09:30:00Z",
        "from": "quayhead/host-a",
        "to": "10.66.0.9",
        "service": "icmp",
        "sent": 5,
        "received": 0,
    }
    routes = [{"dst": "default", "gateway": "192.0.2.9", "dev": "wan0"}, {"dst": "169.254.61.0/30", "dev": "tun0"}]
    up = "2026-05-04T09:29:00Z quayhead ike: peer 198.51.100.34: child SA established\n"
    files = {
        **_files(UP + DOWN),
        "quayhead/ike.log": up,
        "quayhead/routes.json": json.dumps(routes),
        "path/t.jsonl": json.dumps(tests) + "\n",
    }
    (diagnosis,) = case(files).tunnels
    (fault,) = [f for f in diagnosis.findings if not f.caution]
    assert fault.stage is Stage.ROUTING
    assert "169.254.61.2 is not up since 09:10" in fault.detail
    assert ("quayhead/routing.log", 2) in {(p.file, p.line) for p in fault.evidence}


def test_what_no_tunnel_has_is_said_once_for_each_neighbour(case: Case) -> None:
    many = "".join(
        OTHER.replace("09:10", f"09:{n:02d}").replace("is down", "is up" if n % 2 else "is down") for n in range(60)
    )
    examined = case(_files(UP + many))
    rows = [u for u in unused(examined) if "10.200.0.9" in u.text]
    assert [u.text for u in rows] == ["60 events of the routing neighbour 10.200.0.9 at quayhead"]
    assert not summary_of(examined).not_recognised
