"""What was tried between the LANs and was not answered: each its own conclusion, and never an all-clear."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest

from stomion.jobs.examine import Examined
from stomion.model.finding import Certainty, Status, Verdict

Case = Callable[[dict[str, str | bytes]], Examined]
SHEET = """site = "{site}"
[[interface]]
name = "wan0"
addresses = ["{own}/24"]
[[interface]]
name = "lan0"
addresses = ["{lan}.1/24"]
[[tunnel]]
name = "t"
peer_site = "{far}"
local = "{own}"
peer = "{peer}"
local_ts = ["{lan}.0/24"]
remote_ts = ["{there}.0/24"]
"""
A = {
    "site": "quayhead",
    "own": "192.0.2.10",
    "lan": "10.96.0",
    "far": "whelk",
    "peer": "198.51.100.34",
    "there": "10.76.0",
}
B = {
    "site": "whelk",
    "own": "198.51.100.34",
    "lan": "10.76.0",
    "far": "quayhead",
    "peer": "192.0.2.10",
    "there": "10.96.0",
}
LOG = (
    "2026-05-04T09:10:00Z quayhead ike initiating IKE_SA to 198.51.100.34[500]\n"
    "2026-05-04T09:10:01Z quayhead ike IKE_SA established with 198.51.100.34[500]\n"
    "2026-05-04T09:10:01Z quayhead ike CHILD_SA established with 198.51.100.34, SPIs c1a5c1a5_i d00dd00d_o, "
    "TS 10.96.0.0/24 === 10.76.0.0/24\n"
)


def _test(at: str, to: str, received: int, sent: int = 5, **more: Any) -> str:
    row = {
        "kind": "test",
        "at": f"2026-05-04T{at}Z",
        "from": "quayhead/host-a",
        "to": to,
        "service": "icmp",
        "sent": sent,
    }
    return json.dumps({**row, "received": received, "expected": "reach", **more}) + "\n"


def _files(records: str, log: str = LOG) -> dict[str, str | bytes]:
    sheets = {"sites/quayhead.toml": SHEET.format(**A), "sites/whelk.toml": SHEET.format(**B)}
    return {**sheets, "path/t.jsonl": records, **({"quayhead/ike.log": log} if log else {})}


UNEXPLAINED, DOWN = "test-fails-unexplained", "target-down"
TRIED: dict[str, tuple[str, list[str], Status]] = {
    "all answered": (_test("09:20:00", "10.76.0.9", 5), [], Status.WORKING),
    "the first of five lost": (_test("09:20:00", "10.76.0.9", 4), [], Status.WORKING),
    "nothing answered": (_test("09:20:00", "10.76.0.9", 0), [UNEXPLAINED], Status.UNPROVEN),
    "the later one is answered": (_test("09:20:00", "10.76.0.9", 0) + _test("09:21:00", "10.76.0.9", 5), [], Status.WORKING),
    "the later one is not": (_test("09:20:00", "10.76.0.9", 5) + _test("09:21:00", "10.76.0.9", 0), [UNEXPLAINED], Status.UNPROVEN),
    "one host of two": (_test("09:20:00", "10.76.0.9", 0) + _test("09:20:00", "10.76.0.8", 5), [UNEXPLAINED], Status.DEGRADED),
    "one host of two, told unreachable": (
        _test("09:20:00", "10.76.0.9", 0, error="unreachable") + _test("09:20:00", "10.76.0.8", 5), [DOWN], Status.DEGRADED),
    "told unreachable, and nobody else answers": (_test("09:20:00", "10.76.0.9", 0, error="unreachable"), [UNEXPLAINED], Status.UNPROVEN),
    "told unreachable by ping, and its web answers": (
        _test("09:20:00", "10.76.0.9", 0, error="unreachable") + _test("09:20:00", "10.76.0.9", 1, 1, service="tcp/80"),
        [UNEXPLAINED], Status.DEGRADED),
    "13 of 30": (_test("09:20:00", "10.76.0.9", 13, 30), ["packet-loss"], Status.DEGRADED),
    "29 of 30": (_test("09:20:00", "10.76.0.9", 29, 30), [], Status.WORKING),
    "2 of 5 is too few to speak of a lossy line": (_test("09:20:00", "10.76.0.9", 2), [UNEXPLAINED], Status.DEGRADED),
    "what should be blocked is": (_test("09:20:00", "10.76.0.9", 0, expected="blocked"), [], Status.WORKING),
    "only before the tunnel was up, without an answer": (_test("09:00:00", "10.76.0.9", 0), [], Status.UNPROVEN),
    "answered before the tunnel was up": (_test("09:00:00", "10.76.0.9", 5), ["reached-without-tunnel"], Status.UNPROVEN),
    "answered before and after": (
        _test("09:00:00", "10.76.0.9", 5) + _test("09:20:00", "10.76.0.9", 5), ["reached-without-tunnel"], Status.UNPROVEN),
    "answered while it came up": (_test("09:10:00", "10.76.0.9", 5), [], Status.WORKING),
}  # fmt: skip


@pytest.mark.parametrize(("records", "codes", "status"), TRIED.values(), ids=TRIED.keys())
def test_what_was_tried(case: Case, records: str, codes: list[str], status: Status) -> None:
    (tunnel,) = case(_files(records)).tunnels
    assert ([f.code for f in tunnel.findings], tunnel.status) == (codes, status)


def test_an_answer_before_the_log_begins_is_no_way_past_the_tunnel(case: Case) -> None:
    """A log that tells of an SA and not of its negotiation began later than the tunnel."""
    log = LOG.split("\n", 1)[1]
    (tunnel,) = case(_files(_test("09:00:00", "10.76.0.9", 5), log)).tunnels
    assert [f.code for f in tunnel.findings] == []


def test_what_failed_before_and_is_answered_since_is_the_tunnel_s_proof(case: Case) -> None:
    from stomion.views.looked import proof_words

    (tunnel,) = case(_files(_test("09:00:00", "10.76.0.9", 0) + _test("09:20:00", "10.76.0.9", 5))).tunnels
    assert (tunnel.status, tunnel.findings) == (Status.WORKING, ())
    assert proof_words(tunnel.picture) == (
        "ping quayhead/host-a > 10.76.0.9 (5 of 5 answered), and silent before the tunnel was up: the tunnel carries it",
    )


def test_what_narrows_an_unexplained_failure_down(case: Case) -> None:
    web = _test("09:20:00", "10.76.0.9", 1, 1, service="tcp/80")
    (tunnel,) = case(_files(_test("09:20:00", "10.76.0.9", 0) + web)).tunnels
    (finding,) = tunnel.findings
    assert finding.certainty is Certainty.POSSIBLE and finding.sides == ("whelk",)
    assert "tcp/80 of 10.76.0.9 is answered: the tunnel carries, and ping alone is stopped." in finding.detail
    (tunnel,) = case(_files(_test("09:00:00", "10.76.0.9", 5) + _test("09:20:00", "10.76.0.9", 0))).tunnels
    assert "answered before the tunnel was up" in tunnel.findings[-1].detail


@pytest.mark.parametrize(
    ("flags", "state", "codes"),
    [(["BROADCAST"], "DOWN", [DOWN]), (["BROADCAST", "UP", "NO-CARRIER"], "DOWN", [DOWN]),
     (["BROADCAST", "UP", "LOWER_UP"], "UP", [UNEXPLAINED])],
)  # fmt: skip
def test_a_host_that_is_switched_off(case: Case, flags: list[str], state: str, codes: list[str]) -> None:
    link = [{"ifname": "eth0", "flags": flags, "operstate": state, "link_type": "ether", "addr_info": []}]
    files = {**_files(_test("09:20:00", "10.76.0.9", 0)), "whelk/hosts/host-b/ip-addr.json": json.dumps(link)}
    (tunnel,) = case(files).tunnels
    assert [f.code for f in tunnel.findings] == codes
    assert codes != [DOWN] or tunnel.findings[0].certainty is Certainty.PROVEN


def test_a_fault_of_the_tables_alone_proves_nothing_of_the_negotiation(case: Case) -> None:
    """Underlay, IKE and Child SA were seen by nobody: a fault further on does not make them whole."""
    hidden = '[[translation]]\nname = "internet"\nmatch = {out_interface = "wan0", source = "10.96.0.0/24"}\naction = "masquerade"\n'
    hidden += '[[route]]\ndestination = "0.0.0.0/0"\nvia = "192.0.2.1"\ninterface = "wan0"\n'
    files = _files("", log="")
    del files["path/t.jsonl"]
    files["sites/quayhead.toml"] = str(files["sites/quayhead.toml"]) + hidden
    (tunnel,) = case(files).tunnels
    assert tunnel.first_fault is not None and tunnel.first_fault.code == "exemption-missing"
    assert {s.stage.value: s.whole for s in tunnel.stages[:3]} == dict.fromkeys(
        ("underlay", "ike", "child"), Verdict.UNSEEN
    )


@pytest.mark.parametrize(
    ("error", "ping", "codes"),
    [("refused", 5, ["service-not-listening"]), ("timeout", 5, [UNEXPLAINED]), ("refused", 0, [UNEXPLAINED])],
)
def test_a_service_that_is_refused(case: Case, error: str, ping: int, codes: list[str]) -> None:
    web = _test("09:20:05", "10.76.0.9", 0, 1, service="tcp/80", error=error)
    (tunnel,) = case(_files(_test("09:20:00", "10.76.0.9", ping) + web)).tunnels
    assert [f.code for f in tunnel.findings] == codes


EXEMPT = '[[translation]]\nname = "{name}"\nmatch = {{source = "10.96.0.0/24"{to}}}\naction = "exempt"\n'
HIDE = '[[translation]]\nname = "internet"\nmatch = {out_interface = "wan0", source = "10.96.0.0/24"}\naction = "masquerade"\n'
DEFAULT = '[[route]]\ndestination = "0.0.0.0/0"\nvia = "192.0.2.1"\ninterface = "wan0"\n'


@pytest.mark.parametrize(
    ("to", "target", "received", "found"),
    [
        ("", "203.0.113.80", 0, "fault"),
        ("", "203.0.113.80", 3, "caution"),
        (', destination = "10.76.0.0/24"', "203.0.113.80", 0, None),
        ("", "198.51.100.34", 0, None),
    ],
)
def test_flows_to_the_internet_that_are_exempted_as_well(
    case: Case, to: str, target: str, received: int, found: str | None
) -> None:
    files = _files(_test("09:20:00", target, received), log="")
    files["sites/quayhead.toml"] = str(files["sites/quayhead.toml"]) + EXEMPT.format(name="all", to=to) + HIDE + DEFAULT
    (tunnel,) = case(files).tunnels
    told = [f for f in tunnel.findings if f.code == "internet-not-translated"]
    assert [("caution" if f.caution else "fault") for f in told] == ([found] if found else [])
    assert not told or (told[0].sides == ("quayhead",) and "“all”" in told[0].summary)


def test_an_expected_flow_to_the_internet_is_walked_without_any_test(case: Case) -> None:
    files = _files("", log="")
    del files["path/t.jsonl"]
    files["sites/quayhead.toml"] = str(files["sites/quayhead.toml"]) + EXEMPT.format(name="all", to="") + HIDE + DEFAULT
    files["case.toml"] = (
        '[[expect]]\nfrom = "quayhead/host-a"\nto = "203.0.113.80"\nservice = "tcp/443"\noutcome = "reach"\n'
    )
    (tunnel,) = case(files).tunnels
    assert [(f.code, f.caution) for f in tunnel.findings] == [("internet-not-translated", True)]
