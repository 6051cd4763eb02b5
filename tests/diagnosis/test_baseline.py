"""The steps before any tunnel: routes and next hops by arithmetic, and tests of each step."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

import samples
from stomion.jobs.examine import Examined
from stomion.model.finding import Certainty
from twosheets import LEFT, RIGHT, SHEET, A, B

Case = Callable[[dict[str, str | bytes]], Examined]
NEAR = """[[interface]]
name = "wan0"
addresses = ["{own}/24"]
[[interface]]
name = "lan0"
addresses = ["{lan}"]
"""
ROUTE = '[[route]]\ndestination = "{to}"\nvia = "{via}"\ninterface = "wan0"\n'
LAN_ROUTE = ROUTE.format(to="10.66.0.0/21", via="192.0.2.1")
GOOD = ROUTE.format(to="0.0.0.0/0", via="192.0.2.1")


def _files(
    left: str = GOOD, right: str = ROUTE.format(to="0.0.0.0/0", via="198.51.100.1"), tests: str = ""
) -> dict[str, str | bytes]:
    sheets = {
        "sites/quayhead.toml": SHEET.format(**LEFT) + NEAR.format(own=A, lan="10.96.0.1/20") + left,
        "sites/marram.toml": SHEET.format(**RIGHT) + NEAR.format(own=B, lan="10.66.0.1/21") + right,
    }
    return {**sheets, "path/t.jsonl": tests} if tests else dict(sheets)


def _test(source: str, to: str, received: int, second: int = 0) -> str:
    row = {
        "kind": "test",
        "at": f"2026-05-04T09:14:{second:02d}Z",
        "from": source,
        "to": to,
        "service": "icmp",
        "sent": 5,
    }
    return json.dumps({**row, "received": received, "expected": "reach"}) + "\n"


@pytest.mark.parametrize(
    ("left", "codes"),
    [
        (GOOD, []),
        (ROUTE.format(to="203.0.113.0/24", via="192.0.2.1"), ["no-route-to-peer"]),
        (ROUTE.format(to=f"{B}/32", via="192.0.2.1") + LAN_ROUTE, []),
        (ROUTE.format(to="0.0.0.0/0", via="203.0.113.9"), ["next-hop-off-link"]),
        (ROUTE.format(to=f"{B}/32", via="192.0.2.1") + ROUTE.format(to="0.0.0.0/0", via="203.0.113.9"), []),
        ("", []),
    ],
    ids=[
        "default route",
        "another route alone",
        "a route to the peer",
        "off link",
        "off link, and the peer by another",
        "no route at all",
    ],
)
def test_the_way_to_the_peer_by_arithmetic(case: Case, left: str, codes: list[str]) -> None:
    (tunnel,) = case(_files(left)).tunnels
    assert [f.code for f in tunnel.findings] == codes
    assert not codes or (tunnel.findings[0].sides == ("quayhead",) and tunnel.findings[0].certainty is Certainty.PROVEN)


def test_a_sheet_without_routes_is_doubted_once_its_address_does_not_answer(case: Case) -> None:
    (tunnel,) = case(_files('[[filter]]\naction = "allow"\n', tests=_test("marram", A, 0))).tunnels
    found = tunnel.first_fault
    assert found is not None and (found.code, found.sides, found.certainty) == (
        "no-route-to-peer",
        ("quayhead",),
        Certainty.LIKELY,
    )
    (tunnel,) = case(_files('[[filter]]\naction = "allow"\n', tests=_test("marram", A, 5))).tunnels
    assert tunnel.findings == ()


STEPS = {
    "all pass": (
        _test("quayhead/host-a", "10.96.0.1", 5) + _test("quayhead", "192.0.2.1", 5) + _test("quayhead", B, 5),
        None,
    ),
    "neither next hop nor peer": (
        _test("quayhead", "192.0.2.1", 0) + _test("quayhead", B, 0),
        (False, "next-hop", "quayhead"),
    ),
    "the next hop hides from ping": (_test("quayhead", "192.0.2.1", 0) + _test("quayhead", B, 5), None),
    "the next hop alone was tried": (_test("quayhead", "192.0.2.1", 0), (True, "next-hop", "quayhead")),
    "the peer's address alone": (
        _test("quayhead", "192.0.2.1", 5) + _test("quayhead", B, 0),
        (True, "peer-address", "path"),
    ),
    "the host's own gateway": (
        _test("quayhead/host-a", "10.96.0.1", 0) + _test("quayhead", B, 5),
        (True, "own-gateway", "quayhead"),
    ),
    "it failed and passes since": (_test("quayhead", B, 0) + _test("quayhead", B, 5, 9), None),
}


@pytest.mark.parametrize(("tests", "wanted"), STEPS.values(), ids=STEPS.keys())
def test_each_step(case: Case, tests: str, wanted: tuple[bool, str, str] | None) -> None:
    (tunnel,) = case(_files(tests=tests)).tunnels
    if wanted is None:
        assert tunnel.findings == ()
        return
    (finding,) = tunnel.findings
    assert finding.code == "baseline-fails"
    assert (finding.caution, finding.facts["step"], finding.sides[0]) == wanted


def test_a_tunnel_that_was_up_contradicts_what_its_tables_lack(case: Case) -> None:
    up = f"2026-05-04T09:14:00Z quayhead ike IKE_SA established with {B}[500]\n"
    files = _files(ROUTE.format(to="203.0.113.0/24", via="192.0.2.1")) | {"quayhead/ike.log": up}
    (tunnel,) = case(files).tunnels
    assert tunnel.findings == ()


def test_a_router_says_that_the_peer_is_unreachable(case: Case) -> None:
    asked = samples.udp4(A, B, samples.init_request(14))
    told = samples.unreachable4("203.0.113.254", A, asked, code=1)
    silent = "".join(f"2026-05-04T09:14:0{n}Z quayhead ike no answer from {B}, request sent again\n" for n in range(4))
    log = f"2026-05-04T09:13:59Z quayhead ike initiating IKE_SA to {B}[500]\n" + silent
    files = _files() | {
        "quayhead/ike.log": log,
        "quayhead/wan.pcap": samples.pcap([samples.ethernet(p) for p in (asked, told)]),
    }
    (tunnel,) = case(files).tunnels
    (finding,) = tunnel.findings
    assert (finding.code, finding.sides, finding.facts["reporter"]) == (
        "peer-host-unreachable",
        ("marram",),
        "203.0.113.254",
    )
