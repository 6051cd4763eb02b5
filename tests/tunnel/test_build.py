"""Which tunnels a case has, whose evidence belongs to which, and what every stage says of it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest

import samples
from stomion.jobs.examine import Examined, natural
from stomion.model.finding import STAGES, Stage, Status, Verdict

Case = Callable[[dict[str, str | bytes]], Examined]
A, B, C = "192.0.2.10", "198.51.100.34", "203.0.113.10"


def _up(peer: str, identity: str, ours: str, theirs: str) -> str:
    return (
        f"2026-05-04T09:14:00Z gw ike initiating IKEv2 to {peer}:500\n"
        f"2026-05-04T09:14:01Z gw ike IKE SA with {identity} ({peer}) established\n"
        f"2026-05-04T09:14:02Z gw ike Child SA up with {peer}: SPI c1a2b3d4 0a0b0c0d, {ours} <=> {theirs}\n"
    )


def _sheet(site: str, *tunnels: tuple[str, str, str, str]) -> str:
    """Tunnels as (name, peer site, local, peer)."""
    body = "".join(
        f'[[tunnel]]\nname = "{n}"\npeer_site = "{s}"\nlocal = "{own}"\npeer = "{p}"\nike = 2\n'
        for n, s, own, p in tunnels
    )
    return f'site = "{site}"\n{body}'


def names(examined: Examined) -> list[tuple[str, str]]:
    return sorted((d.picture.left.site, d.picture.right.site) for d in examined.tunnels)


def test_two_sites_that_name_only_each_other_s_address_face_each_other(case: Case) -> None:
    files = {
        "north/x": _up(B, "s.example", "10.1.0.0/24", "10.2.0.0/24"),
        "south/y": _up(A, "n.example", "10.2.0.0/24", "10.1.0.0/24"),
    }
    examined = case(dict(files))
    assert names(examined) == [("north", "south")]
    assert examined.tunnels[0].picture.left.addresses == {A}


def test_one_site_alone_faces_addresses_and_strangers_are_no_tunnels(case: Case) -> None:
    log = _up(B, "s.example", "10.1.0.0/24", "10.2.0.0/24") + _up(C, "t.example", "10.1.0.0/24", "10.3.0.0/24")
    log += "2026-05-04T09:15:00Z gw ike request from unknown peer 203.0.113.222 ignored\n"
    assert names(case({"hub/x": log})) == [("hub", B), ("hub", C)]


def test_a_lone_stranger_is_still_shown(case: Case) -> None:
    examined = case({"hub/x": "2026-05-04T09:15:00Z gw ike request from unknown peer 203.0.113.222 ignored\n"})
    assert [f.code for d in examined.tunnels for f in d.findings] == ["no-matching-peer"]


def test_a_hub_s_log_is_divided_by_peer(case: Case) -> None:
    hub = _up(B, "s.example", "10.1.0.0/24", "10.2.0.0/24")
    hub += f"2026-05-04T09:16:00Z gw ike {C}:500 is initiating IKEv2 with us as responder\n"
    hub += f"2026-05-04T09:16:01Z gw ike no IKE proposal in common with {C}: received aes128-sha256-dh14; allowed here aes256-sha256-dh14\n"
    files = {
        "hub/log": hub,
        "sites/hub.toml": _sheet("hub", ("a", "one", A, B), ("b", "two", A, C)),
        "sites/one.toml": _sheet("one", ("a", "hub", B, A)),
        "sites/two.toml": _sheet("two", ("b", "hub", C, A)),
    }
    found = {d.picture.name: [f.code for f in d.findings] for d in case(dict(files)).tunnels}
    assert found == {"a": [], "b": ["ike-proposal-mismatch"]}


def test_two_addresses_for_one_peer_are_two_tunnels(case: Case) -> None:
    files = {
        "sites/north.toml": _sheet("north", ("primary", "south", A, B), ("backup", "south", C, B)),
        "sites/south.toml": _sheet("south", ("primary", "north", B, A), ("backup", "north", B, C)),
    }
    assert names(case(dict(files))) == [("north", "south"), ("north", "south")]


def test_a_wrong_peer_address_in_a_sheet_makes_no_second_tunnel(case: Case) -> None:
    files = {
        "sites/north.toml": _sheet("north", ("t", "south", A, B)),
        "sites/south.toml": _sheet("south", ("t", "north", B, "203.0.113.250")),
    }
    assert names(case(dict(files))) == [("north", "south")]


def test_case_toml_gives_names_and_their_order(case: Case) -> None:
    files = {
        "case.toml": 'title = "T"\n[[tunnel]]\nname = "second"\nends = ["b", "a"]\n[[tunnel]]\nname = "first"\nends = ["c", "a"]\n',
        "sites/a.toml": _sheet("a", ("x", "c", A, C), ("y", "b", A, B)),
    }
    examined = case(dict(files))
    assert [(d.picture.name, d.picture.left.site) for d in examined.tunnels] == [("second", "b"), ("first", "c")]
    assert examined.evidence.title == "T"


def test_whose_capture_it_is_is_told_by_the_hop_limit(case: Case) -> None:
    ask = samples.ethernet(samples.udp4(A, B, samples.init_request(14), ttl=61))
    answer = samples.ethernet(samples.udp4(B, A, samples.init_answer(14), ttl=64))
    (tunnel,) = case({"marram/wan": samples.pcap([ask, answer])}).tunnels
    assert (tunnel.picture.left.site, tunnel.picture.left.addresses, tunnel.picture.right.site) == ("marram", {B}, A)


def test_a_capture_between_the_sites_names_two_addresses(case: Case) -> None:
    packets = [samples.udp4(A, B, samples.init_request(14), ttl=60), samples.udp4(B, A, samples.refusal(14), ttl=60)]
    (tunnel,) = case({"path/mid": samples.pcap([samples.ethernet(p) for p in packets])}).tunnels
    assert {tunnel.picture.left.site, tunnel.picture.right.site} == {A, B}
    assert tunnel.first_fault.code == "ike-proposal-mismatch"


TEST = '{{"kind":"test","at":"2026-05-04T09:2{n}:00Z","from":"{site}/host","to":"{to}","service":"icmp","sent":3,"received":{got}}}\n'


@pytest.mark.parametrize(
    ("forth", "back", "status", "traffic"),
    [
        (3, 3, Status.WORKING, Verdict.PASS),
        (3, 0, Status.DEGRADED, Verdict.CAUTION),
        (0, 0, Status.UNPROVEN, Verdict.CAUTION),
    ],
)
def test_traffic_proves_what_tables_do_not_tell_yet(
    case: Case, forth: int, back: int, status: Status, traffic: Verdict
) -> None:
    lan = 'addresses = ["{}"]\n'
    interface = '[[interface]]\nname = "lan0"\n'
    files = {
        "north/x": _up(B, "s.example", "10.1.0.0/24", "10.2.0.0/24"),
        "south/y": _up(A, "n.example", "10.2.0.0/24", "10.1.0.0/24"),
        "sites/north.toml": 'site = "north"\n' + interface + lan.format("10.1.0.1/24"),
        "sites/south.toml": 'site = "south"\n' + interface + lan.format("10.2.0.1/24"),
        "path/t.jsonl": TEST.format(n=1, site="north", to="10.2.0.9", got=forth)
        + TEST.format(n=2, site="south", to="10.1.0.9", got=back),
    }
    (tunnel,) = case(dict(files)).tunnels
    stages = {s.stage: s.whole for s in tunnel.stages}
    assert (tunnel.status, stages[Stage.TRAFFIC]) == (status, traffic)
    proven = Verdict.PASS if status is Status.WORKING else Verdict.UNSEEN
    assert {stages[s] for s in (Stage.NAT, Stage.ROUTING, Stage.FILTER)} == {proven}
    assert tunnel.first_fault is None


def test_stages_hold_before_the_fault_and_mean_nothing_after_it(demo: Examined) -> None:
    for diagnosis in demo.tunnels:
        first = diagnosis.first_fault
        assert [s.stage for s in diagnosis.stages] == list(STAGES)
        if first is None:
            continue
        at = STAGES.index(first.stage)
        assert all(s.whole is Verdict.PASS for s in diagnosis.stages[:at])
        assert all(s.whole is Verdict.UNREACHED for s in diagnosis.stages[at + 1 :])
        faulty = {
            e.site for e, v in zip(diagnosis.picture.ends, _at(diagnosis.stages[at]), strict=True) if v is Verdict.FAULT
        }
        assert faulty == set(first.sides)


def _at(stage: object) -> tuple[Verdict, Verdict]:
    return stage.left, stage.right  # type: ignore[attr-defined]


def test_names_with_numbers_are_sorted_as_people_count() -> None:
    names = ["s10-x", "s9-x", "s1-x", "a", "s10-b"]
    assert sorted(names, key=natural) == ["a", "s1-x", "s9-x", "s10-b", "s10-x"]


def test_an_idle_tunnel_on_demand_is_no_fault(case: Case) -> None:
    sheet = _sheet("north", ("t", "south", A, B)) + 'initiate = "on-traffic"\n'
    (tunnel,) = case({"sites/north.toml": sheet}).tunnels
    assert (tunnel.status, tunnel.findings) == (Status.IDLE, ())


def test_a_rule_that_crashes_is_a_line_and_the_others_go_on(case: Case, monkeypatch: pytest.MonkeyPatch) -> None:
    from stomion.diagnosis import runner

    def broken(_context: object) -> None:
        raise RuntimeError("boom")

    monkeypatch.setattr(runner, "RULES", (replace(runner.RULES[0], judge=broken), *runner.RULES[1:]))
    log = f"2026-05-04T09:14:00Z gw ike initiating IKEv2 to {B}:500\n"
    log += f"2026-05-04T09:14:01Z gw ike NO_PROPOSAL_CHOSEN received from {B}, IKE SA refused\n"
    examined = case({"north/x": log})
    assert [f.code for f in examined.tunnels[0].findings] == ["ike-proposal-mismatch"]
    assert any("boom" in p.text for p in examined.evidence.problems)


@pytest.mark.parametrize(("port", "tunnels"), [(500, 1), (45918, 0)])
def test_knocks_from_any_port_make_no_tunnel(case: Case, port: int, tunnels: int) -> None:
    """An unknown address that asks from the IKE port may be the peer; one that asks from anywhere scans."""
    log = f"2026-05-04T09:14:00Z gw ike no peer configured for {C}[{port}], ike request ignored\n"
    assert len(case({"north/x": log}).tunnels) == tunnels
