"""Selectors by both sheets, and targets and routes that no tunnel takes."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.model.finding import Certainty, Status
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
LAN = '[[interface]]\nname = "lan0"\naddresses = ["{}"]\n'
SWAPPED = {"local_ts": "10.96.0.0/20", "remote_ts": "10.66.0.0/21"}


def _files(change: dict[str, object], left: str = "", right: str = "") -> dict[str, str | bytes]:
    return {
        "sites/quayhead.toml": SHEET.format(**LEFT) + left,
        "sites/marram.toml": SHEET.format(**RIGHT | change) + right,
    }


def test_an_end_that_has_both_ranges_in_each_other_s_place(case: Case) -> None:
    (tunnel,) = case(_files(SWAPPED, LAN.format("10.96.0.1/20"), LAN.format("10.66.0.1/21"))).tunnels
    (finding,) = tunnel.findings
    assert (finding.code, finding.sides, finding.certainty) == ("selectors-swapped", ("marram",), Certainty.PROVEN)
    assert [r.side for r in finding.remedies] == ["marram"]


def test_who_has_them_swapped_is_not_guessed(case: Case) -> None:
    (tunnel,) = case(_files(SWAPPED)).tunnels
    (finding,) = tunnel.findings
    assert (finding.code, finding.sides, finding.certainty) == (
        "selectors-swapped",
        ("marram", "quayhead"),
        Certainty.POSSIBLE,
    )


@pytest.mark.parametrize(
    ("version", "remote", "certainty", "status"),
    [
        (2, "10.96.0.0/19", Certainty.LIKELY, Status.DEGRADED),
        (2, "10.96.0.0/21", Certainty.LIKELY, Status.DEGRADED),
        (2, "10.97.0.0/20", Certainty.PROVEN, Status.BROKEN),
        (1, "10.96.0.0/19", Certainty.PROVEN, Status.BROKEN),
    ],
)
def test_a_wider_range_is_narrowed_by_ikev2_alone(
    case: Case, version: int, remote: str, certainty: Certainty, status: Status
) -> None:
    files = {
        "sites/quayhead.toml": SHEET.format(**LEFT | {"ike": version}),
        "sites/marram.toml": SHEET.format(**RIGHT | {"ike": version, "remote_ts": remote}),
    }
    (tunnel,) = case(dict(files)).tunnels
    finding = tunnel.findings[0]
    assert [f.code for f in tunnel.findings[1:]] == ["weak-algorithm"] * (version == 1)
    assert (finding.code, finding.certainty, tunnel.status) == ("selectors-not-mirrored", certainty, status)


def test_all_ranges_that_differ_are_named_or_counted(case: Case) -> None:
    (tunnel,) = case(_files({"remote_ts": "10.96.0.0/12"})).tunnels
    assert "and 4 more ranges" in tunnel.findings[0].summary


def test_the_link_of_a_tunnel_by_routes_is_nobody_s_lan(case: Case) -> None:
    any_to_any = {"local_ts": "0.0.0.0/0", "remote_ts": "0.0.0.0/0"}
    link = '[[interface]]\nname = "tun0"\naddresses = ["169.254.77.{}/30"]\n'
    files = {}
    for n, (site, side, lan) in enumerate((("quayhead", LEFT, "10.96.0.1/20"), ("marram", RIGHT, "10.66.0.1/21")), 1):
        text = SHEET.format(**side | any_to_any).replace(
            'auth = "psk"', 'auth = "psk"\nstyle = "route"\ninterface = "tun0"'
        )
        files[f"sites/{site}.toml"] = text + LAN.format(lan) + link.format(n)
    (tunnel,) = case(dict(files)).tunnels
    assert tunnel.findings == ()
    assert tunnel.picture.left.networks == {"10.66.0.0/21"} or tunnel.picture.right.networks == {"10.66.0.0/21"}


@pytest.mark.parametrize(
    ("to", "received", "codes"),
    [
        ("10.67.200.2", 0, ["target-outside-selectors"]),
        ("10.67.200.2", 3, []),
        ("10.66.0.9", 3, []),
        ("10.96.0.77", 0, []),
        ("8.8.4.4", 0, []),
    ],
)
def test_a_target_that_no_tunnel_takes(case: Case, to: str, received: int, codes: list[str]) -> None:
    row = {
        "kind": "test",
        "at": "2026-05-04T09:14:00Z",
        "from": "quayhead/host-a",
        "to": to,
        "service": "icmp",
        "sent": 3,
    }
    files = _files({}) | {"path/t.jsonl": json.dumps(row | {"received": received, "expected": "reach"}) + "\n"}
    (tunnel,) = case(files).tunnels
    assert [f.code for f in tunnel.findings] == codes


def test_a_target_of_the_site_s_other_tunnel_is_inside(case: Case) -> None:
    more = SHEET.format(**LEFT | {"peer_site": "whelk", "peer": "203.0.113.7", "remote_ts": "10.76.0.0/20"}).split(
        "[[tunnel]]"
    )[1]
    row = {
        "kind": "test",
        "at": "2026-05-04T09:14:00Z",
        "from": "quayhead/host-a",
        "to": "10.76.0.9",
        "service": "icmp",
        "sent": 3,
    }
    files = _files({}, "[[tunnel]]" + more.replace('name = "t"', 'name = "u"'))
    files["path/t.jsonl"] = json.dumps(row | {"received": 0, "expected": "reach"}) + "\n"
    found = {d.picture.name: [f.code for f in d.findings] for d in case(files).tunnels}
    assert sorted(map(str, found.values())) == ["['test-fails-unexplained']", "[]"]


@pytest.mark.parametrize(
    ("via", "codes"), [("169.254.77.1", ["next-hop-own-address"]), ("169.254.77.2", []), ("gw.marram.example", [])]
)
def test_a_route_to_the_gateway_itself(case: Case, via: str, codes: list[str]) -> None:
    text = LAN.format("10.96.0.1/20") + '[[interface]]\nname = "tun0"\naddresses = ["169.254.77.1/30"]\n'
    text += f'[[route]]\ndestination = "10.66.0.0/21"\nvia = "{via}"\ninterface = "tun0"\n'
    text += '[[route]]\ndestination = "0.0.0.0/0"\ninterface = "wan0"\n'
    sheet = SHEET.format(**LEFT).replace('auth = "psk"', 'auth = "psk"\nstyle = "route"\ninterface = "tun0"')
    (tunnel,) = case({"sites/quayhead.toml": sheet + text, "sites/marram.toml": SHEET.format(**RIGHT)}).tunnels
    assert ([f.code for f in tunnel.findings], tunnel.crashed) == (codes, ())


def test_a_filter_without_routes_takes_no_interface_away(case: Case) -> None:
    """What the sheet says of interfaces and routes still stands where the system's filter alone was given."""
    sheet = LAN.format("10.96.0.1/20") + '[[interface]]\nname = "wan0"\naddresses = ["192.0.2.10/24"]\n'
    sheet += '[[route]]\ndestination = "0.0.0.0/0"\nvia = "192.0.2.1"\ninterface = "wan0"\n'
    rules = {"nftables": [{"chain": {"family": "inet", "table": "f", "name": "c", "type": "filter", "hook": "forward", "prio": 0,
                                     "policy": "accept"}}]}  # fmt: skip
    files = _files({}, sheet) | {"quayhead/nft.json": json.dumps(rules)}
    (tunnel,) = case(files).tunnels
    end = next(e for e in tunnel.picture.ends if e.site == "quayhead")
    assert end.tables is not None and end.tables.addresses and "inet f c" in end.tables.chains
    assert tunnel.findings == ()


def test_two_tunnels_of_two_sites_keep_their_declared_names(case: Case) -> None:
    second = {"local": "192.0.2.11", "peer": "198.51.100.35"}
    more = ["[[tunnel]]" + SHEET.format(**side).split("[[tunnel]]")[1].replace('name = "t"', 'name = "u"')
            for side in (LEFT | second, RIGHT | {"local": "198.51.100.35", "peer": "192.0.2.11"})]  # fmt: skip
    declared = "".join(f'[[tunnel]]\nname = "{n}"\nends = ["quayhead", "marram"]\n' for n in ("t", "u"))
    files = _files({}, more[0], more[1]) | {"case.toml": 'title = "two"\n' + declared}
    found = {d.picture.name: d.picture.left.sheet.local for d in case(files).tunnels if d.picture.left.sheet}
    assert found == {"t": "192.0.2.10", "u": "192.0.2.11"}
