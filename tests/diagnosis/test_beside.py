# ruff: noqa: E501
"""Several ways between the same LANs, SAs that one end lost, and two logs that know of more than each other."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined

Case = Callable[[dict[str, str | bytes]], Examined]
A, A2, B, OTHER = "192.0.2.10", "192.0.2.129", "198.51.100.34", "203.0.113.99"
NETS = {"a": "10.1.0.0/24", "b": "10.2.0.0/24"}


def _at(second: int, text: str) -> str:
    return f"2026-05-04T09:{14 + second // 60}:{second % 60:02d}Z gw ike {text}\n"


def _up(second: int, name: str, own: str, near: str = NETS["a"]) -> str:
    return (
        _at(second, f"<{name}|{second}> IKE SA {name}[{second}] established between {own}[a.example]...{B}[b.example]")
        + _at(second, f"<{name}|{second}> Child SA {name}{{{second}}} established with SPIs c1a2b3{second:02d}_i 0a0b0c{second:02d}_o and TS {near} === {NETS['b']}")
    )  # fmt: skip


def _deleted(second: int, name: str, number: int, own: str) -> str:
    return _at(
        second,
        f"<{name}|{number}> received DELETE for IKE SA {name}[{number}] between {own}[a.example]...{B}[b.example]",
    )


def _sheet(*tunnels: tuple[str, str]) -> str:
    rows = "".join(
        f'[[tunnel]]\nname = "{name}"\npeer_site = "south"\nlocal = "{own}"\npeer = "{B}"\nlocal_ts = ["{NETS["a"]}"]\nremote_ts = ["{NETS["b"]}"]\n'
        for name, own in tunnels
    )
    return 'site = "north"\n' + rows


TEST = '{{"kind":"test","at":"2026-05-04T09:{minute}:00Z","from":"north/h","to":"10.2.0.9","service":"icmp","sent":3,"received":{got}}}\n'


def _codes(examined: Examined) -> dict[str, list[str]]:
    return {d.picture.name: [f.code for f in d.findings if not f.caution] for d in examined.tunnels}


def test_a_standby_that_is_closed_when_the_primary_is_back_is_no_fault(case: Case) -> None:
    sheet = _sheet(("primary", A), ("backup", A2))
    log = _up(1, "primary", A) + _up(20, "backup", A2) + _up(27, "primary", A) + _deleted(28, "backup", 20, A2)
    assert _codes(case({"sites/north.toml": sheet, "north/ike.log": log})) == {"primary": [], "backup": []}
    lost = log + _deleted(29, "primary", 27, A)
    assert _codes(case({"north/ike.log": lost}))["primary"] == ["deleted-by-peer"]


@pytest.mark.parametrize(("got", "codes"), [(0, ["deleted-by-peer"]), (3, [])])
def test_a_tunnel_closed_later_is_a_fault_where_somebody_wants_it(case: Case, got: int, codes: list[str]) -> None:
    log = _up(1, "t", A) + _deleted(50, "t", 1, A)
    files: dict[str, str | bytes] = {"sites/north.toml": _sheet(("t", A)), "north/ike.log": log}
    assert _codes(case(files)) == {"t": []}, "nobody tried it"
    assert _codes(case({"path/t.jsonl": TEST.format(minute=18, got=got)}))["t"] == codes


def test_without_sheets_a_standby_that_carries_less_is_told(case: Case) -> None:
    log = _up(1, "primary", A, "10.1.0.0/24") + _up(40, "backup", A2, "10.1.0.128/25")
    (tunnel,) = case({"north/ike.log": log}).tunnels
    found = tunnel.first_fault
    assert found is not None and found.code == "selectors-narrowed" and found.facts["lacking"] == ["10.1.0.0/25"]
    one_line = log.replace(A2, A)
    (tunnel,) = case({"north/ike.log": one_line}).tunnels
    assert tunnel.first_fault is None, "a gateway may well have a child for each of two networks"


def test_the_two_logs_of_a_case_face_each_other_by_the_seconds_they_share(case: Case) -> None:
    """Of north's two peers, south is the one that it spoke with when south's log tells of something."""
    busy = "".join(_at(s, f"initiating IKEv2 to {OTHER}:500") for s in (1, 2, 3))
    north = (
        busy
        + _at(40, f"initiating IKEv2 to {B}:500")
        + _at(41, f"NO_PROPOSAL_CHOSEN received from {B}, IKE SA refused")
    )
    south = _at(40, "peer starts a negotiation, role responder") + _at(
        41, "no IKE proposal in common, sending NO_PROPOSAL_CHOSEN"
    )
    examined = case({"north/ike.log": north, "south/ike.log": south})
    assert [d.picture.right.addresses for d in examined.tunnels if d.picture.right.site == "south"] == [{B}]


def test_what_a_peer_heard_is_over_where_the_refuser_s_log_goes_on_to_success(case: Case) -> None:
    heard = _at(1, f"initiating IKEv2 to {B}:500") + _at(2, f"AUTHENTICATION_FAILED received from {B}")
    refuser = _at(1, f"{A}:500 is initiating IKEv2 with us as responder") + _at(
        2, f"the pre-shared key of {A} does not match"
    )
    files: dict[str, str | bytes] = {"north/ike.log": heard, "south/ike.log": refuser}
    assert list(_codes(case(files)).values()) == [["key-mismatch"]]
    mended = (
        refuser
        + _at(9, f"IKE SA with {A} established")
        + _at(9, f"Child SA up with {A}: SPI c1a2b3d4 0a0b0c0d, {NETS['b']} <=> {NETS['a']}")
    )
    assert list(_codes(case({"south/ike.log": mended})).values()) == [[]]
