"""Tables of sheets and of the operating system: read, and judged with and without tests."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.errors import UnreadableInput
from stomion.ingest.kinds import recognised
from stomion.ingest.ostables import read_table
from stomion.jobs.examine import Examined
from stomion.model.finding import Certainty
from stomion.model.tables import Tables

Case = Callable[[dict[str, str | bytes]], Examined]
A, B = "192.0.2.10", "198.51.100.34"

HEAD = """
site = "{site}"
[[interface]]
name = "wan0"
addresses = ["{wan}/24"]
zone = "outside"
[[interface]]
name = "lan0"
addresses = ["{lan}.1/24"]
zone = "inside"
[[tunnel]]
name = "q-w"
peer_site = "{peer_site}"
local = "{wan}"
peer = "{peer}"
ike = 2
local_ts = ["{lan}.0/24"]
remote_ts = ["{far}.0/24"]
[[route]]
destination = "0.0.0.0/0"
via = "{hop}"
"""
EXEMPT = """
[[translation]]
name = "not into the tunnel"
match = {{ out_interface = "wan0", source = "{lan}.0/24", destination = "{far}.0/{bits}" }}
action = "exempt"
"""
GENERAL = """
[[translation]]
name = "to the internet"
match = { out_interface = "wan0" }
action = "masquerade"
"""
ALLOW_ALL = """
[[filter]]
name = "both ways"
match = { service = "any" }
action = "allow"
"""


def _rule(name: str, service: str, action: str, more: str = "") -> str:
    return f'\n[[filter]]\nname = "{name}"\nmatch = {{ service = ["{service}"]{more} }}\naction = "{action}"\n'


Q = {
    "site": "quayhead",
    "peer_site": "whelk",
    "wan": A,
    "peer": B,
    "lan": "10.96.0",
    "far": "10.76.0",
    "hop": "192.0.2.1",
    "bits": 24,
}
W = {
    "site": "whelk",
    "peer_site": "quayhead",
    "wan": B,
    "peer": A,
    "lan": "10.76.0",
    "far": "10.96.0",
    "hop": "198.51.100.1",
    "bits": 24,
}
GOOD = HEAD + EXEMPT


def _tests(*rows: tuple[bool, str, bool, bool]) -> str:
    """(from Quayhead, service, answered, expected) as records."""
    out = []
    for at, (ours, service, passed, expected) in enumerate(rows):
        ends = ("quayhead/host-a", "10.76.0.9") if ours else ("whelk/host-b", "10.96.0.9")
        record = {
            "kind": "test",
            "at": f"2026-05-04T09:14:{at:02d}Z",
            "from": ends[0],
            "to": ends[1],
            "service": service,
            "sent": 1,
        }
        out.append(json.dumps(record | {"received": int(passed), "expected": "reach" if expected else "blocked"}))
    return "\n".join(out) + "\n"


HOLE = '\n[[route]]\ndestination = "{at}"\ntype = "blackhole"\n'
PROXY = """
[[translation]]
name = "web to the proxy"
match = {{ destination = "{lan}.0/24", service = "tcp/80" }}
action = {{ destination_to = "10.76.0.77" }}
"""
NO_PING = _rule("no ping", "icmp", "drop")
FAIL, PASS = (True, "icmp", False, True), (True, "icmp", True, True)
WEB_FAILS, WEB_PASSES = (True, "tcp/80", False, True), (True, "tcp/80", True, True)
OPEN = (True, "tcp/22", True, False)
# name: (more of Quayhead's sheet, more of Whelk's, tests, codes, sides of the first)
CASES: dict[str, tuple[str, str, str, list[str], list[str]]] = {
    "healthy, untested": (GOOD + GENERAL, GOOD + GENERAL, "", [], []),
    "healthy, tested": (GOOD + GENERAL + ALLOW_ALL, GOOD + GENERAL + ALLOW_ALL, _tests(PASS, WEB_PASSES), [], []),
    "no exemption": (GOOD + GENERAL, HEAD + GENERAL, "", ["exemption-missing"], ["whelk"]),
    "no exemption and no translation": (HEAD, HEAD, "", [], []),
    "exemption below": (HEAD + GENERAL + EXEMPT, GOOD + GENERAL, "", ["exemption-shadowed"], ["quayhead"]),
    "exemption of a half": (HEAD + EXEMPT.replace("{bits}", "25") + GENERAL, GOOD + GENERAL, "", ["exemption-partial"], ["quayhead"]),
    "exemption of another tunnel": (
        HEAD + EXEMPT.replace("{far}.0", "10.79.0.0") + GENERAL, GOOD + GENERAL, "", ["exemption-missing"], ["quayhead"],
    ),
    "exemption below, though the tests pass": (HEAD + GENERAL + EXEMPT, GOOD + GENERAL, _tests(PASS), [], []),
    "blackhole": (GOOD + HOLE.replace("{at}", "{far}.0/25"), GOOD, "", ["route-stolen"], ["quayhead"]),
    # A sheet that names no route at all leaves its routes open; one that names others lacks this one.
    "no route at all": (GOOD.replace("[[route]]", "[[x]]"), GOOD, "", [], []),
    "no default route": (GOOD.replace('"0.0.0.0/0"', '"203.0.113.0/24"', 1), GOOD, "", ["no-route-to-peer"], ["quayhead"]),
    "no way to the own LAN": (GOOD, GOOD + HOLE.replace("{at}", "{lan}.8/29"), _tests(FAIL), ["return-route-missing"], ["whelk"]),
    "nothing allowed": (GOOD, GOOD + _rule("ssh only", "udp/7", "drop"), _tests(FAIL), ["filter-blocks"], ["whelk"]),
    "one service blocked": (GOOD, GOOD + NO_PING + ALLOW_ALL, _tests(FAIL, WEB_PASSES), ["service-not-allowed"], ["whelk"]),
    "allow under block": (
        GOOD, GOOD + _rule("no tcp", "tcp", "drop") + _rule("web", "tcp/80", "allow") + _rule("ping", "icmp", "allow"),
        _tests(PASS, WEB_FAILS), ["allow-shadowed"], ["whelk"],
    ),
    "allow that drops": (
        GOOD, GOOD + _rule("allow web", "tcp/80", "drop") + _rule("ping", "icmp", "allow"),
        _tests(PASS, WEB_FAILS), ["wrong-action"], ["whelk"],
    ),
    "a rule that blocks nothing more": (
        GOOD, GOOD + _rule("control room", "tcp/80", "drop") + _rule("ping", "icmp", "allow"),
        _tests(PASS, WEB_FAILS), ["wrong-action"], ["whelk"],
    ),
    "a block that says so": (
        GOOD, GOOD + _rule("nothing of the control room", "tcp/80", "drop") + _rule("ping", "icmp", "allow"),
        _tests(PASS, WEB_FAILS), ["service-not-allowed"], ["whelk"],
    ),
    "sent to another host": (GOOD, GOOD + PROXY, _tests(PASS, WEB_FAILS), ["exemption-missing"], ["whelk"]),
    "sent to another host, which answers": (GOOD, GOOD + PROXY, _tests(PASS, WEB_PASSES), [], []),
    "blocked and not tested": (GOOD, GOOD + NO_PING + ALLOW_ALL, "", [], []),
    "blocked as it should be": (GOOD, GOOD + NO_PING + ALLOW_ALL, _tests((True, "icmp", False, False)), [], []),
    "open, no rule": (GOOD, GOOD + ALLOW_ALL, _tests(OPEN), ["unexpected-pass"], ["whelk"]),
    "block on the wrong interface": (
        GOOD, GOOD + _rule("no ssh", "tcp/22", "drop", ', from_zone = "outside"') + ALLOW_ALL,
        _tests(OPEN), ["block-without-effect"], ["whelk"],
    ),
    "block under an allow": (GOOD, GOOD + ALLOW_ALL + _rule("no ssh", "tcp/22", "drop"), _tests(OPEN), ["block-without-effect"], ["whelk"]),
    "a failure that the tables do not explain": (GOOD + ALLOW_ALL, GOOD + ALLOW_ALL, _tests(FAIL), ["test-fails-unexplained"], ["whelk"]),
}  # fmt: skip


def _sheet(text: str, values: dict[str, object]) -> str:
    for name, value in values.items():
        text = text.replace("{" + name + "}", str(value))
    return text.replace("{{", "{").replace("}}", "}")


@pytest.mark.parametrize(("left", "right", "tests", "codes", "sides"), CASES.values(), ids=CASES.keys())
def test_labelled_tables(case: Case, left: str, right: str, tests: str, codes: list[str], sides: list[str]) -> None:
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(left, Q), "sites/whelk.toml": _sheet(right, W)}
    if tests:
        files["path/tests.jsonl"] = tests
    examined = case(files)
    assert [p.text for p in examined.evidence.problems] == []
    (tunnel,) = examined.tunnels
    assert [f.code for f in tunnel.findings if f.code != "sent-in-clear"] == codes
    leaks = [f for f in tunnel.findings if f.code == "sent-in-clear"]
    # Without a tunnel interface, what the tunnel does not take goes out on the wire.
    assert [list(f.sides) for f in leaks] == (
        [sides] if codes and codes[0].startswith("exemption-") and PROXY not in right else []
    )
    if codes:
        first = tunnel.findings[0]
        assert list(first.sides) == sides
        sure = Certainty.LIKELY if first.code == "wrong-action" and "control room" in right else Certainty.PROVEN
        sure = Certainty.POSSIBLE if first.code == "test-fails-unexplained" else sure
        assert first.certainty is sure and first.evidence and first.remedies


def test_the_deciding_rule_is_named_with_its_line(case: Case) -> None:
    text = _sheet(HEAD + GENERAL + EXEMPT, Q)
    (tunnel,) = case({"sites/quayhead.toml": text, "sites/whelk.toml": _sheet(GOOD, W)}).tunnels
    finding, clear = tunnel.findings
    assert clear.code == "sent-in-clear"
    assert finding.detail == "Translated, they leave unencrypted, readable by anyone on the path."
    assert finding.facts["rule"] == "rule 1 “to the internet”"
    assert finding.remedies[0].text == "move rule 2 “not into the tunnel” above rule 1 “to the internet”"
    line = text.split("\n").index('name = "to the internet"')
    assert finding.evidence[0].line == line


def test_expected_flows_are_checked_without_any_test(case: Case) -> None:
    expect = '[[expect]]\nfrom = "10.96.0.9"\nto = "10.76.0.9"\nservice = "tcp/80"\noutcome = "reach"\n'
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(GOOD, Q), "case.toml": expect}
    files["sites/whelk.toml"] = _sheet(GOOD + _rule("ping", "icmp", "allow"), W)
    (tunnel,) = case(files).tunnels
    assert [f.code for f in tunnel.findings] == ["service-not-allowed"]
    (broken,) = [p.text for p in case({"case.toml": "[[expect]]\nfrom = 3\n"}).evidence.problems]
    assert broken.startswith("an [[expect]] needs from, to, service")


RANGES = [
    ("10.96.0.0/24", "10.76.0.0/24", "any", "reach", "service-not-allowed", "10.96.0.0/24 to 10.76.0.0/24"),
    ("quayhead", "10.76.0.0/25", "tcp/1-1024", "reach", "service-not-allowed", "tcp/"),
    ("10.96.0.0/24", "10.76.0.16-10.76.0.20", "icmp", "reach", "", ""),
    ("10.96.0.16/30", "10.76.0.0/24", "icmp", "blocked", "unexpected-pass", "10.96.0.16/30 to 10.76.0.0/24"),
    ("10.96.0.9", "10.76.0.9", "icmp", "blocked", "unexpected-pass", "ping 10.96.0.9 > 10.76.0.9"),
    ("10.96.0.9", "10.76.0.9", "tcp/22", "blocked", "", ""),
]


@pytest.mark.parametrize(("source", "to", "service", "outcome", "code", "words"), RANGES)
def test_expectations_of_ranges_are_held_against_every_packet(
    case: Case, source: str, to: str, service: str, outcome: str, code: str, words: str
) -> None:
    """Whelk lets ping pass and nothing else: what is to reach and does not counts as much as what is to be blocked and passes."""
    expect = f'[[expect]]\nfrom = "{source}"\nto = "{to}"\nservice = "{service}"\noutcome = "{outcome}"\n'
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(GOOD, Q), "case.toml": expect}
    files["sites/whelk.toml"] = _sheet(GOOD + _rule("ping", "icmp", "allow"), W)
    (tunnel,) = case(files).tunnels
    assert [f.code for f in tunnel.findings] == ([code] if code else [])
    if code:
        told = f"{tunnel.findings[0].detail} {tunnel.findings[0].facts} {tunnel.findings[0].summary}"
        assert words in told


def test_a_block_that_the_tables_undo_is_found_without_any_test(case: Case) -> None:
    expect = '[[expect]]\nfrom = "10.96.0.0/24"\nto = "10.76.0.0/24"\nservice = "tcp/22"\noutcome = "blocked"\n'
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(GOOD, Q), "case.toml": expect}
    rules = _rule("all", "any", "allow") + _rule("no ssh", "tcp/22", "drop")
    files["sites/whelk.toml"] = _sheet(GOOD + rules, W)
    (finding,) = case(files).tunnels[0].findings
    assert finding.code == "block-without-effect" and finding.facts["reason"] == "shadowed"
    assert (
        "rule 2 “no ssh”" in finding.summary
        and "expected to be blocked: 10.96.0.0/24 > 10.76.0.0/24 tcp/22" in finding.detail
    )
    files["sites/whelk.toml"] = _sheet(GOOD + _rule("no ssh", "tcp/22", "drop") + _rule("all", "any", "allow"), W)
    assert not case(files).tunnels[0].findings
    del files["sites/whelk.toml"]
    assert not [f for t in case(files).tunnels for f in t.findings if f.stage.value == "traffic"]


def test_an_allow_for_another_direction_is_not_the_one_that_is_shadowed(case: Case) -> None:
    """It would match the packet's addresses, but is never asked of packets that come out of the tunnel."""
    outwards = '[[filter]]\nname = "own hosts outwards"\nmatch = { from_zone = "inside" }\naction = "allow"\n'
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(GOOD, Q), "path/tests.jsonl": _tests(FAIL)}
    files["sites/whelk.toml"] = _sheet(GOOD + _rule("no ping", "icmp", "drop") + outwards, W)
    assert [f.code for f in case(files).tunnels[0].findings] == ["filter-blocks"]
    files["sites/whelk.toml"] = _sheet(
        GOOD + _rule("no ping", "icmp", "drop") + _rule("ping", "icmp", "allow") + outwards, W
    )
    assert [f.code for f in case(files).tunnels[0].findings] == ["allow-shadowed"]


def test_a_test_of_the_peers_public_address_is_none_of_the_tunnel(case: Case) -> None:
    """It passes outside the tunnel, and must not speak for another service that is let pass."""
    outer = {
        "kind": "test",
        "at": "2026-05-04T09:14:00Z",
        "from": "quayhead",
        "to": B,
        "service": "icmp",
        "sent": 2,
        "received": 2,
    }
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": _sheet(GOOD, Q), "sites/whelk.toml": _sheet(GOOD + _rule("x", "udp/7", "drop"), W),
        "quayhead/addr": json.dumps(ADDRESSES), "path/tests.jsonl": json.dumps(outer) + "\n" + _tests(WEB_FAILS),
        "whelk/addr": json.dumps(ADDRESSES).replace(A, B).replace("10.96", "10.76"),
    }  # fmt: skip
    (tunnel,) = case(files).tunnels
    assert [t.service for t in tunnel.picture.tests] == ["tcp/80"]
    assert [f.code for f in tunnel.findings if not f.caution] == ["filter-blocks"]


@pytest.mark.parametrize(
    ("text", "tests", "code"),
    [
        (HEAD + GENERAL, (FAIL,), "exemption-missing"),
        (GOOD + _rule("out", "udp/7", "allow"), (FAIL,), "service-not-allowed"),
        (GOOD + GENERAL, (PASS,), ""),
        (GOOD + GENERAL, (FAIL,), ""),
    ],
)
def test_one_end_is_judged_without_the_other(case: Case, text: str, tests: tuple[Any, ...], code: str) -> None:
    """The far end gave nothing: what is behind it is what this end's tunnel protects there."""
    (tunnel,) = case({"sites/quayhead.toml": _sheet(text, Q), "path/tests.jsonl": _tests(*tests)}).tunnels
    assert [f.code for f in tunnel.findings if f.stage.value != "ike" and not f.caution] == ([code] if code else [])
    assert all(f.sides == ("quayhead",) for f in tunnel.findings if not f.caution)
    assert [t.to for t in tunnel.picture.tests] == ["10.76.0.9"]


def test_what_a_gateway_sends_itself_is_not_walked_as_a_hosts(case: Case) -> None:
    own = _tests(FAIL).replace("quayhead/host-a", "quayhead")
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(GOOD, Q), "path/t.jsonl": own}
    files["sites/whelk.toml"] = _sheet(GOOD + _rule("no ping", "icmp", "drop"), W)
    (tunnel,) = case(files).tunnels
    assert [f.code for f in tunnel.findings] == [] and len(tunnel.picture.tests) == 1


SECOND = """
[[tunnel]]
name = "q-w-2"
peer_site = "{peer_site}"
local = "{wan}"
peer = "{peer}"
local_ts = ["{own}"]
remote_ts = ["{there}"]
[[route]]
destination = "0.0.0.0/0"
via = "{hop}"
"""


def _two(case: Case, left: str, right: str, tests: str = "") -> list[Any]:
    """Two pairs of ranges between the same ends: Quayhead has 10.97.0.0/24 as well."""
    ours, theirs = (
        {**Q, "own": "10.97.0.0/24", "there": "10.76.0.0/24"},
        {**W, "own": "10.76.0.0/24", "there": "10.97.0.0/24"},
    )
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": _sheet(left, ours),
        "sites/whelk.toml": _sheet(right, theirs),
    }
    if tests:
        files["path/t.jsonl"] = tests
    (tunnel,) = case(files).tunnels
    return [f for f in tunnel.findings if not f.caution]


def test_every_pair_of_ranges_between_two_ends_counts(case: Case) -> None:
    both = HEAD.replace("[[route]]", SECOND.partition("[[route]]")[0] + "[[route]]")
    assert _two(case, both, both) == []
    second = EXEMPT.replace("{lan}.0/24", "{own}").replace("{far}.0/{bits}", "{there}")
    assert _two(case, both + EXEMPT + second + GENERAL, both) == []
    (finding,) = _two(case, both + EXEMPT + GENERAL, both)
    assert finding.code == "exemption-missing" and finding.facts["packets"] == "10.97.0.0/24 to 10.76.0.0/24"
    one_way = '[[filter]]\nname = "lan"\nmatch = { source = "10.96.0.0/24" }\naction = "allow"\n'
    second_pair = _tests(PASS).replace("quayhead/host-a", "10.96.0.9") + _tests(FAIL).replace(
        "quayhead/host-a", "10.97.0.9"
    )
    (finding,) = _two(case, both, both + one_way, second_pair)
    assert finding.code == "filter-blocks" and finding.sides == ("whelk",)
    no_ping = '[[filter]]\nname = "no ping"\nmatch = { service = "icmp" }\naction = "drop"\n'
    blocked = _tests(FAIL).replace("quayhead/host-a", "10.96.0.9")
    (finding,) = _two(case, both, both + no_ping + one_way, blocked)
    assert finding.code == "service-not-allowed"


ROUTES = [
    {"dst": "default", "gateway": "192.0.2.1", "dev": "eth0"},
    {"dst": "10.96.0.0/24", "dev": "eth1"},
    {"dst": "10.76.0.0/24", "dev": "tun0", "table": "220"},
]
RULES = [
    {"priority": 0, "src": "all", "table": "local"},
    {"priority": 220, "src": "all", "table": "220"},
    {"priority": 32766, "src": "all", "table": "main"},
]
ADDRESSES = [
    {"ifname": "eth0", "flags": [], "addr_info": [{"family": "inet", "local": A, "prefixlen": 24, "scope": "global"}]},
    {
        "ifname": "eth1",
        "flags": [],
        "addr_info": [{"family": "inet", "local": "10.96.0.1", "prefixlen": 24, "scope": "global"}],
    },
    {"ifname": "tun0", "flags": ["POINTOPOINT"], "link_type": "none", "addr_info": []},
]


def _system(
    case: Case,
    routes: list[dict[str, Any]] = ROUTES,
    rules: list[dict[str, Any]] = RULES,
    file: str = "route",
    **more: str,
) -> list[str]:
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": _sheet(HEAD, Q), "sites/whelk.toml": _sheet(GOOD, W), "quayhead/addr": json.dumps(ADDRESSES),
        f"quayhead/{file}": json.dumps(routes), "quayhead/rule": json.dumps(rules),
    }  # fmt: skip
    (tunnel,) = case({**files, **{name.replace("__", "/"): text for name, text in more.items()}}).tunnels
    return [f.code for f in tunnel.findings]


def test_the_systems_own_tables_are_judged_alike(case: Case) -> None:
    assert _system(case) == []
    assert _system(case, [*ROUTES, {"dst": "10.76.0.0/25", "dev": "eth0", "gateway": "192.0.2.9", "table": "220"}]) == [
        "route-stolen", "sent-in-clear",
    ]  # fmt: skip
    early = {"priority": 100, "src": "10.96.0.0", "srclen": 24, "table": "main"}
    assert _system(case, rules=[RULES[0], early, *RULES[1:]]) == ["route-stolen", "sent-in-clear"]
    assert _system(case, ROUTES[:2]) == []  # such routes come and go with the tunnel
    up = f"2026-05-04T09:14:02Z gw Child SA up with {B}: SPI c1a2b3d4 0a0b0c0d, 10.96.0.0/24 <=> 10.76.0.0/24\n"
    assert _system(case, ROUTES[:2], quayhead__ike=up) == ["tunnel-route-missing", "sent-in-clear"]
    into = {"dst": f"{B}/32", "dev": "tun0"}
    assert "peer-via-own-tunnel" in _system(case, [*ROUTES, into])
    assert _system(case, quayhead__forward="net.ipv4.ip_forward = 0\n") == ["forwarding-disabled"]
    assert _system(case, quayhead__forward="net.ipv4.ip_forward = 1\n") == []


def test_packets_that_go_out_in_clear_are_called_so(case: Case) -> None:
    routes = [*ROUTES, {"dst": "10.76.0.0/25", "dev": "eth0", "gateway": "192.0.2.9", "table": "220"}]
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(HEAD, Q), "sites/whelk.toml": _sheet(GOOD, W)}
    files |= {
        "quayhead/addr": json.dumps(ADDRESSES),
        "quayhead/route": json.dumps(routes),
        "quayhead/rule": json.dumps(RULES),
    }
    finding, clear = case(files).tunnels[0].findings
    assert (clear.code, clear.sides, clear.caution) == ("sent-in-clear", ("quayhead",), True)
    assert clear.facts == {"packets": "10.96.0.0/24 to 10.76.0.0/25", "out": ["eth0"]}
    assert "readable by anyone on the path: 10.96.0.0/24 to 10.76.0.0/25" in finding.detail
    assert finding.facts["in_clear"] == "10.96.0.0/24 to 10.76.0.0/25"


def test_routes_that_went_with_a_tunnel_that_had_carried_are_no_fault(case: Case) -> None:
    up = f"2026-05-04T09:14:02Z gw Child SA up with {B}: SPI c1a2b3d4 0a0b0c0d, 10.96.0.0/24 <=> 10.76.0.0/24\n"
    died = _tests(PASS, FAIL)
    assert "tunnel-route-missing" in _system(case, ROUTES[:2], quayhead__ike=up, path__tests=_tests(FAIL))
    assert "tunnel-route-missing" not in _system(case, ROUTES[:2], quayhead__ike=up, path__tests=died)


@pytest.mark.parametrize(("read", "fault"), [("0913", False), ("0915", True), ("0917", False)])
def test_routes_are_judged_by_the_state_in_which_they_were_read(case: Case, read: str, fault: bool) -> None:
    """Up at 09:14, lost at 09:16: only what was read in between tells that the route into the tunnel was missing."""
    asks = "2026-05-04T09:{}:00Z gw initiating IKE_SA to " + B + "\n"
    log = asks.format(12) + f"2026-05-04T09:14:00Z gw Child SA up with {B}: SPI c1a2b3d4 0a0b0c0d\n"
    log += f"2026-05-04T09:16:00Z gw giving up after 5 retransmits, peer {B} not responding\n" + asks.format(18)
    name = f"route-2026-05-04T{read}"
    codes = _system(case, ROUTES[:2], file=name, quayhead__ike=log, path__tests=_tests(FAIL))
    assert ("tunnel-route-missing" in codes) is fault


COUNTED = {
    "family": "ip",
    "table": "f",
    "name": "forward",
    "type": "filter",
    "hook": "forward",
    "prio": 0,
    "policy": "drop",
}


def _counted(packets: int) -> str:
    expr = [{"counter": {"packets": packets, "bytes": 84 * packets}}, {"accept": None}]
    rule = {"family": "ip", "table": "f", "chain": "forward", "handle": 4, "expr": expr}
    return json.dumps({"nftables": [{"chain": COUNTED}, {"rule": rule}]})


@pytest.mark.parametrize(
    ("counts", "certainty"),
    [((0,), Certainty.POSSIBLE), ((7, 7), Certainty.LIKELY), ((7,), None), ((7, 9), None)],
)
def test_a_count_that_does_not_move_while_tests_run(
    case: Case, counts: tuple[int, ...], certainty: Certainty | None
) -> None:
    """Tables let the flow pass and it fails: the first rule that counts nothing tells how far the packets came."""
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": _sheet(HEAD, Q), "sites/whelk.toml": _sheet(GOOD, W), "quayhead/addr": json.dumps(ADDRESSES),
        "quayhead/route": json.dumps(ROUTES), "quayhead/rule": json.dumps(RULES), "path/tests.jsonl": _tests(FAIL),
    }  # fmt: skip
    for number, packets in enumerate(counts):
        files[f"quayhead/nft-{number}"] = _counted(packets)
    (tunnel,) = case(files).tunnels
    found = [f for f in tunnel.findings if f.code == "count-unmoved"]
    assert [f.certainty for f in found] == ([certainty] if certainty else [])
    for finding in found:
        assert finding.caution and finding.sides == ("quayhead",)
        assert finding.facts["rule"] == "rule 1" and finding.facts["moved"] == (0 if len(counts) > 1 else None)


def test_a_rule_that_came_between_two_readings_is_named_with_its_fault(case: Case) -> None:
    drop = {"family": "ip", "table": "f", "chain": "forward", "comment": "no guests", "expr": [{"drop": None}]}
    open_ = [{"chain": COUNTED | {"policy": "accept"}}]
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": _sheet(HEAD, Q), "sites/whelk.toml": _sheet(GOOD, W), "quayhead/addr": json.dumps(ADDRESSES),
        "quayhead/route": json.dumps(ROUTES), "quayhead/rule": json.dumps(RULES), "path/tests.jsonl": _tests(FAIL),
        "quayhead/rules-before.json": json.dumps({"nftables": open_}),
        "quayhead/rules.json": json.dumps({"nftables": [*open_, {"rule": drop}]}),
    }  # fmt: skip
    found = next(f for t in case(files).tunnels for f in t.findings if f.stage == "filter")
    assert "Between the two readings of Quayhead's tables rule 1 “no guests” came." in found.detail
    assert found.facts["between_readings"] == [{"site": "quayhead", "came": ["rule 1 “no guests”"], "gone": []}]


@pytest.mark.parametrize("hop", ["0.0.0.0/0", "accept", "999", "nowhere"])
def test_a_next_hop_that_is_no_address_is_named_and_the_rest_is_read(case: Case, hop: str) -> None:
    rows = [
        {"dst": "default", "gateway": hop, "dev": "eth0"},
        {"dst": "10.9.0.0/16", "nexthops": [{"gateway": hop}]},
        ROUTES[1],
    ]
    files: dict[str, str | bytes] = {
        "quayhead/route": json.dumps(rows), "sites/quayhead.toml": _sheet(GOOD, Q), "quayhead/hosts/h/route": json.dumps(rows),
        "quayhead/hosts/h/addr": json.dumps(ADDRESSES).replace(A, "10.96.0.9"),
    }  # fmt: skip
    examined = case(files)
    said = [p.text for p in examined.evidence.problems if "as its next hop; an address expected" in p.text]
    assert len(said) == 4 and said[0].startswith("route 1 has ")
    assert [d.crashed for d in examined.tunnels] == [()]
    assert [r.text for r in examined.evidence.tables["quayhead", ""].routes] == ["10.96.0.0/24, eth1"]


def test_two_readings_of_the_routes_are_not_added_up(case: Case) -> None:
    """The later file stands, and the problems list says that they differ."""
    first = b'[{"dst":"default","gateway":"192.0.2.1","dev":"eth0"},{"dst":"10.0.0.0/8","dev":"eth1"}]'
    second = b'[{"dst":"default","gateway":"192.0.2.7","dev":"eth0"}]'
    tables = read_table("routes", second, "2.json", read_table("routes", first, "1.json", Tables("quayhead")))
    assert [(r.text, r.where.file) for r in tables.routes if r.length == 0] == [
        ("default via 192.0.2.7, eth0", "2.json")
    ]
    assert len(tables.routes) == 2 and tables.doubts == (
        "1 routes stand differently in 1.json; those of this file are taken",
    )
    files: dict[str, str | bytes] = {"quayhead/route-1": json.dumps(ROUTES)}
    files["quayhead/route-2"] = json.dumps([{**ROUTES[0], "gateway": "192.0.2.7"}, {"dst": "nowhere", "dev": "eth0"}])
    texts = [p.text for p in case(files).evidence.problems]
    assert any("stand differently" in t for t in texts) and any("no destination that is understood" in t for t in texts)


def test_a_host_without_a_way_back_and_one_that_blocks(case: Case) -> None:
    host = [
        {
            "ifname": "eth0",
            "flags": [],
            "addr_info": [{"family": "inet", "local": "10.76.0.9", "prefixlen": 24, "scope": "global"}],
        }
    ]
    local: list[dict[str, Any]] = [{"dst": "10.76.0.0/24", "dev": "eth0"}]
    hop = {"dst": "default", "gateway": "10.76.0.1", "dev": "eth0"}
    files = {"whelk__hosts__host-b__addr": json.dumps(host), "path__t.jsonl": _tests(FAIL)}
    assert _system(case, **files, **{"whelk__hosts__host-b__route": json.dumps(local)}) == ["host-gateway-missing"]
    away = hop | {"gateway": "10.76.0.77"}
    assert _system(case, **files, **{"whelk__hosts__host-b__route": json.dumps([*local, away])}) == [
        "return-route-missing"
    ]
    drop = _ruleset(
        [{"match": {"op": "==", "left": {"meta": {"key": "l4proto"}}, "right": "icmp"}}, {"drop": None}], "input"
    )
    whole = {"whelk__hosts__host-b__route": json.dumps([*local, hop]), "whelk__hosts__host-b__nft": json.dumps(drop)}
    assert _system(case, **files, **whole) == ["host-filter-blocks"]


@pytest.mark.parametrize(("via", "codes"), [("10.76.0.77", []), ("10.76.0.1", []), ("", ["host-gateway-missing"])])
def test_a_host_that_nobody_tested(case: Case, via: str, codes: list[str]) -> None:
    """Another router may know the way on, which only a failed test disproves; a host without any way is a fault by its table alone."""
    info = [{"family": "inet", "local": "10.76.0.9", "prefixlen": 24, "scope": "global"}]
    routes: list[dict[str, Any]] = [{"dst": "10.76.0.0/24", "dev": "eth0"}]
    routes += [{"dst": "default", "gateway": via, "dev": "eth0"}] if via else []
    more = {"whelk__hosts__host-b__addr": json.dumps([{"ifname": "eth0", "flags": [], "addr_info": info}])}
    assert _system(case, **more, **{"whelk__hosts__host-b__route": json.dumps(routes)}) == codes


def test_a_tunnel_link_needs_one_subnet(case: Case) -> None:
    def link(values: dict[str, object], address: str) -> str:
        text = HEAD.replace('name = "q-w"', 'name = "q-w"\nstyle = "route"\ninterface = "tun0"')
        return _sheet(
            text
            + f'[[interface]]\nname = "tun0"\naddresses = ["{address}"]\n[[route]]\ndestination = "{{far}}.0/24"\ninterface = "tun0"\n',
            values,
        )

    good = {"sites/quayhead.toml": link(Q, "169.254.77.1/30"), "sites/whelk.toml": link(W, "169.254.77.2/30")}
    (tunnel,) = case(dict(good)).tunnels
    assert [f.code for f in tunnel.findings] == []
    (tunnel,) = case({**good, "sites/whelk.toml": link(W, "169.254.77.6/30")}).tunnels
    assert [f.code for f in tunnel.findings] == ["link-subnet-mismatch"]


def _ruleset(expr: list[Any], hook: str = "forward") -> dict[str, Any]:
    chain = {"family": "inet", "table": "f", "name": "c", "type": "filter", "hook": hook, "prio": 0, "policy": "accept"}
    named = {
        "family": "inet",
        "table": "f",
        "name": "lans",
        "type": "ipv4_addr",
        "elem": [{"prefix": {"addr": "10.96.0.0", "len": 24}}],
    }
    return {
        "nftables": [
            {"metainfo": {}},
            {"set": named},
            {"chain": chain},
            {"rule": {"family": "inet", "table": "f", "chain": "c", "expr": expr}},
        ]
    }


def _payload(protocol: str, name: str, right: object, op: str = "==") -> dict[str, Any]:
    return {"match": {"op": op, "left": {"payload": {"protocol": protocol, "field": name}}, "right": right}}


# an expression: (boxes it matches, doubt)
EXPRESSIONS: dict[str, tuple[list[Any], int, str]] = {
    "prefix": ([_payload("ip", "saddr", {"prefix": {"addr": "10.0.0.0", "len": 8}}), {"drop": None}], 1, ""),
    "not a prefix": (
        [_payload("ip", "saddr", {"prefix": {"addr": "10.0.0.0", "len": 8}}, "!="), {"drop": None}],
        2,
        "",
    ),
    "range": ([_payload("ip", "daddr", {"range": ["10.0.0.1", "10.0.0.9"]}), {"drop": None}], 1, ""),
    "ports": ([_payload("tcp", "dport", {"set": [22, 80, {"range": [8000, 8010]}]}), {"accept": None}], 3, ""),
    "named set": ([_payload("ip", "saddr", "@lans"), {"accept": None}], 1, ""),
    "a set that is not there": ([_payload("ip", "saddr", "@gone"), {"accept": None}], 1, "is not understood"),
    "state": (
        [{"match": {"op": "in", "left": {"ct": {"key": "state"}}, "right": ["established"]}}, {"accept": None}],
        1,
        "",
    ),
    "icmp type": ([_payload("icmp", "type", "echo-request"), {"drop": None}], 1, ""),
    "IPv6": ([_payload("ip6", "saddr", {"prefix": {"addr": "2001:db8::", "len": 32}}), {"drop": None}], 1, ""),
    "below a port": ([_payload("udp", "dport", 1024, "<"), {"drop": None}], 1, ""),
    "something new": ([{"quux": 3}, {"accept": None}], 1, "“quux” is not understood"),
    "something new that decides nothing": ([{"quux": 3}, {"counter": {"packets": 7}}], 1, ""),
    "a limit": ([{"limit": {"rate": 5}}, {"accept": None}], 1, "“limit” is not understood"),
}


@pytest.mark.parametrize(("expr", "boxes", "doubt"), EXPRESSIONS.values(), ids=EXPRESSIONS.keys())
def test_expressions_of_rules(expr: list[Any], boxes: int, doubt: str) -> None:
    tables = read_table("filter rules", json.dumps(_ruleset(expr)).encode(), "nft.json", Tables("quayhead"))
    (rule,) = tables.chains["inet f c"].rules
    assert doubt in rule.doubt and bool(doubt) == bool(rule.doubt)
    if not doubt:
        assert len(rule.boxes) == boxes


@given(
    st.recursive(
        st.none() | st.integers() | st.text(max_size=8),
        lambda inner: (
            st.lists(inner, max_size=3)
            | st.dictionaries(
                st.sampled_from(["match", "left", "right", "payload", "op", "set", "accept", "jump", "meta", "key"]),
                inner,
                max_size=3,
            )
        ),
        max_leaves=12,
    )
)
def test_mangled_rules_never_stop_the_reading(expr: Any) -> None:
    data = _ruleset([expr, {"accept": None}])
    tables = read_table("filter rules", json.dumps(data).encode(), "nft.json", Tables("quayhead"))
    assert len(tables.chains["inet f c"].rules) == 1


@pytest.mark.parametrize("text", [b"{", b'{"nftables": 3}', b"[" * 5000])
def test_damaged_tables_are_named(text: bytes) -> None:
    with pytest.raises(UnreadableInput):
        read_table("filter rules", text, "nft.json", Tables("x"))


XFRM = "src 10.96.0.0/24 dst 10.76.0.0/24 \n\tdir out priority 375423 \n\ttmpl src 192.0.2.10 dst 198.51.100.34\n\t\tproto esp\n" \
    "src 10.76.0.0/24 dst 10.96.0.0/24 \n\tdir in priority 375423 \n"  # fmt: skip


def test_the_systems_tunnel_policies() -> None:
    assert recognised(XFRM.encode()) == "IPsec policies"
    (policy,) = read_table("IPsec policies", XFRM.encode(), "xfrm", Tables("quayhead")).policies
    assert policy.tunnel == "10.96.0.0/24 to 10.76.0.0/24"
    assert policy.where is not None and policy.where.line == 1
    assert policy.peer == B


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        (json.dumps(RULES), "rules"),
        (json.dumps([{"priority": 5, "src": "10.0.0.0", "dst": "10.1.0.0", "table": "9"}]), "rules"),
        (json.dumps(ROUTES), "routes"),
        ("net.ipv4.ip_forward = 1\n", "forwarding"),
        ("src 1.2.3.4 dst 5.6.7.8\n\tproto esp spi 0x1 reqid 1\n", "IPsec states"),
    ],
)
def test_tables_are_recognised_by_their_content(text: str, kind: str) -> None:
    assert recognised(text.encode()) == kind


def _esp(sizes: list[int], source: str, target: str) -> list[bytes]:
    import samples

    return [
        samples.ethernet(samples.udp4(source, target, b"\xc1\xa2\xb3\xd4" + b"\0" * (n - 4), 4500, 4500)) for n in sizes
    ]


@pytest.mark.parametrize(
    ("sent", "got", "codes"),
    [
        ([200] * 5, [200] * 5, []),
        ([200] * 5, [200] * 4, []),
        ([200] * 5, [], ["esp-lost-in-path"]),
        ([200] * 2, [], []),
        ([200] * 5 + [1400] * 5, [200] * 5, ["mtu-blackhole"]),
        ([200] * 5 + [1400] * 2, [200] * 5, []),
        ([200] * 5 + [1400] * 5, [200] + [1400] * 5, []),
    ],
    ids=["all", "one lost", "none", "too few", "no large one", "too few large ones", "small ones lost"],
)
def test_esp_that_leaves_one_end_and_not_all_of_it_arrives(
    case: Case, sent: list[int], got: list[int], codes: list[str]
) -> None:
    import samples

    talk = [
        samples.ethernet(samples.udp4(A, B, samples.init_request(14))),
        samples.ethernet(samples.udp4(B, A, samples.init_answer(14))),
    ]
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(HEAD, Q), "sites/whelk.toml": _sheet(HEAD, W)}
    files["quayhead/wan.pcap"] = samples.pcap(talk + _esp(sent, A, B))
    files["whelk/wan.pcap"] = samples.pcap(talk + _esp(got, A, B))
    (tunnel,) = case(files).tunnels
    assert [f.code for f in tunnel.findings] == codes
    assert all(f.sides == ("path",) for f in tunnel.findings)


@pytest.mark.parametrize(
    ("to", "answered", "codes"),
    [
        ("10.76.0.0", 0, ["wrong-target"]),
        ("10.76.0.255", 0, ["wrong-target"]),
        ("10.76.0.9", 0, ["test-fails-unexplained"]),
        ("10.76.0.1", 0, ["test-fails-unexplained"]),
        ("10.76.0.0", 1, ["test-fails-unexplained"]),
    ],
)
def test_a_test_that_asks_the_wrong_address(case: Case, to: str, answered: int, codes: list[str]) -> None:
    row = {
        "kind": "test",
        "at": "2026-05-04T09:14:00Z",
        "from": "quayhead/host-a",
        "to": to,
        "service": "icmp",
        "sent": 5,
    }
    files: dict[str, str | bytes] = {"sites/quayhead.toml": _sheet(GOOD, Q), "sites/whelk.toml": _sheet(GOOD, W)}
    (tunnel,) = case({**files, "path/t.jsonl": json.dumps(row | {"received": answered, "expected": "reach"})}).tunnels
    assert [f.code for f in tunnel.findings] == codes
    assert tunnel.first_fault is None


JSON = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 2**70) | st.text(max_size=6) | st.sampled_from(["10.0.0.0/8", "default", "all", "lo"]),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(
        st.sampled_from(["dst", "dev", "gateway", "via", "metric", "priority", "src", "srclen", "fwmark", "table", "nexthops", "type",
                         "ifname", "addr_info", "local", "prefixlen", "flags", "nftables", "rule", "chain", "set", "expr", "elem", "name"]),
        inner, max_size=5,
    ),
    max_leaves=14,
)  # fmt: skip


@given(JSON, st.sampled_from(["addresses", "routes", "rules", "filter rules"]))
def test_any_json_in_a_table_s_place_is_read_or_refused(data: Any, kind: str) -> None:
    for wrapped in (data, [data], {"nftables": [data]}):
        try:
            read_table(kind, json.dumps(wrapped).encode(), "x.json", Tables("quayhead"))
        except UnreadableInput:
            pass


@pytest.mark.parametrize(
    "text", ["tunnel = 3\n", "tunnel = [3]\n", "expect = 3\n", "expect = [3]\n", "title = 3\n[[tunnel]]\nends = 3\n"]
)
def test_a_case_file_of_another_shape_stops_nothing(case: Case, text: str) -> None:
    assert case(
        {"case.toml": text, "sites/quayhead.toml": _sheet(GOOD, Q), "sites/whelk.toml": _sheet(GOOD, W)}
    ).tunnels
