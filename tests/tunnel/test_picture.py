"""What of a case belongs to which tunnel and to which of its ends, from evidence of every kind: a hub and its two spokes."""

# ruff: noqa: E501
from __future__ import annotations

from typing import Any

import pytest

import samples
from stomion.case.evidence import Capture, EspFlow, Evidence, Log, Placed, Source
from stomion.exchange.negotiation import MAX_STEPS
from stomion.ingest.ostables import read_table
from stomion.ingest.sheet import read_sheet
from stomion.measure.counters import CounterReading
from stomion.measure.gathering import Gathering
from stomion.model.datagrams import Datagrams
from stomion.model.event import Event, What
from stomion.model.packet import Datagram, Unreachable
from stomion.model.provenance import Provenance
from stomion.model.record import CounterRecord, EventRecord, PingRecord, TestRecord
from stomion.model.tables import Tables
from stomion.tunnel import messages
from stomion.tunnel.build import pictures
from stomion.tunnel.counted import places
from stomion.tunnel.lans import behind, lans_of, meets, no_host, without_any
from stomion.tunnel.picture import End, LanTest, Picture

HUB, ONE, TWO = "192.0.2.10", "198.51.100.34", "203.0.113.10"
AT = "2026-05-04T09:14:0{}Z"
ZERO = 1777886040.0


def sheet(site: str, lan: str, *tunnels: str) -> str:
    head = f'site = "{site}"\n[[interface]]\nname = "lan0"\naddresses = ["{lan}"]\n[[interface]]\nname = "wan0"\naddresses = ["{ {"hub": HUB, "one": ONE, "two": TWO}[site] }/28"]\n'
    return head + "".join(tunnels) + '[[route]]\ndestination = "0.0.0.0/0"\nvia = "192.0.2.1"\n'


def tunnel(name: str, peer_site: str, local: str, peer: str, near: str, far: str) -> str:
    return (
        f'[[tunnel]]\nname = "{name}"\npeer_site = "{peer_site}"\nlocal = "{local}"\npeer = "{peer}"\nlocal_ts = ["{near}"]\nremote_ts = ["{far}"]\n'
        '[[tunnel.ike_proposal]]\nencryption = ["aes256"]\n[[tunnel.esp_proposal]]\nencryption = ["aes128"]\n'
    )


def evidence() -> Evidence:
    """Sheets, networks and addresses of the three sites, and one host of site one; records and captures are the tests' matter."""
    sheets = {
        "hub": sheet(
            "hub",
            "10.0.0.1/24",
            tunnel("to-one", "one", HUB, ONE, "10.0.0.0/24", "10.1.0.0/24"),
            tunnel("to-two", "two", HUB, TWO, "10.0.0.0/24", "10.2.0.0/24"),
        ),
        "one": sheet("one", "10.1.0.1/24", tunnel("to-hub", "hub", ONE, HUB, "10.1.0.0/24", "10.0.0.0/24")),
        "two": sheet("two", "10.2.0.1/24", tunnel("to-two", "hub", TWO, HUB, "10.2.0.0/24", "10.0.0.0/24")),
    }
    made = Evidence()
    for site, data in sheets.items():
        read = read_sheet(data).sheet
        made.sheets.append(read)
        made.sheet_lines[site] = f"sites/{site}.toml"
        made.sources.append(Source(f"sites/{site}.toml", site, "sheet", len(data)))
        made.networks[site] = {f"10.{['hub', 'one', 'two'].index(site)}.0.0/24"}
    own = b'[{"ifname":"lo","addr_info":[{"family":"inet","local":"127.0.0.1","prefixlen":8}]},{"ifname":"eth0","addr_info":[{"family":"inet","local":"10.200.0.9","prefixlen":24},{"family":"inet","local":"10.1.0.9","prefixlen":24}]}]'
    made.tables["one", "desk"] = read_table("addresses", own, "one/hosts/desk/ip-addr.json", Tables("one", "desk"))
    return made


def ends(made: Evidence) -> tuple[Picture, Picture]:
    first, second = pictures(made)
    assert (first.left.site, first.right.site, second.right.site) == ("hub", "one", "two")
    return first, second


def told(tests: tuple[LanTest, ...]) -> list[str]:
    out = []
    for t in tests:
        side = "left" if t.from_left else "right"
        seen = f"{t.received}/{t.sent}" if t.seen else "expected"
        flags = ("passed " if t.passed else "") + ("" if t.expected else "must not ")
        out.append(
            f"{side} {t.who}({t.source}) > {t.to} {t.service} {flags}{seen} {t.error}{t.at and t.at - ZERO} {t.where.file}:{t.where.line} {t.where.site}"
        )
    return out


def test_tests_by_what_they_ask_for() -> None:
    rows: list[tuple[str, str, dict[str, Any]]] = [
        ("one/desk", "10.0.0.9", {"sent": 3, "received": 2, "service": "icmp"}),
        ("one/unknown", "10.0.0.9", {"error": "timeout"}),
        ("10.1.0.77", "10.0.0.9", {"received": 1, "expected": "blocked"}),
        ("one", "10.0.0.9", {}),
        ("hub/srv", "10.1.0.9", {"service": "tcp/80"}),
        ("hub/srv", "10.2.0.9", {}),
        ("hub", ONE, {}),
        ("hub/srv", ONE, {}),
        ("hub", "192.0.2.1", {}),
        ("hub", "192.0.2.2", {}),
        ("one/desk", "10.1.0.1", {}),
        ("one/desk", "10.1.0.8", {}),
        ("one/desk", "10.77.0.1", {}),
        ("one", "10.77.0.1", {}),
        ("one/desk", "203.0.113.200", {}),
        ("one", "203.0.113.200", {}),
        ("one/desk", "printer", {}),
        ("elsewhere/x", "10.0.0.9", {}),
        ("172.31.0.1", "10.0.0.9", {}),
        ("10.1.0.0/25", "10.0.0.0/25", {}),
    ]
    made = evidence()
    for number, (source, to, more) in enumerate(rows, 1):
        made.tests.append(Placed(TestRecord(AT.format(number % 10), source, to, **more), "path/t.jsonl", number))
    first, second = ends(made)
    assert told(first.tests) == [
        "right one/desk(10.1.0.9) > 10.0.0.9 icmp passed 2/3 1.0 path/t.jsonl:1 one",
        "right one/unknown() > 10.0.0.9  0/0 timeout2.0 path/t.jsonl:2 one",
        "right 10.1.0.77(10.1.0.77) > 10.0.0.9  passed must not 1/0 3.0 path/t.jsonl:3 one",
        "right one() > 10.0.0.9  0/0 4.0 path/t.jsonl:4 one",
        "left hub/srv() > 10.1.0.9 tcp/80 0/0 5.0 path/t.jsonl:5 hub",
        "right 10.1.0.0/25(10.1.0.0/25) > 10.0.0.0/25  0/0 0.0 path/t.jsonl:20 one",
    ]
    assert told(second.tests) == ["left hub/srv() > 10.2.0.9  0/0 6.0 path/t.jsonl:6 hub"]
    assert told(first.near) == [
        f"left hub() > {ONE}  0/0 7.0 path/t.jsonl:7 hub",
        "left hub() > 192.0.2.1  0/0 9.0 path/t.jsonl:9 hub",
        "right one/desk(10.1.0.9) > 10.1.0.1  0/0 1.0 path/t.jsonl:11 one",
    ]
    assert told(second.near) == ["left hub() > 192.0.2.1  0/0 9.0 path/t.jsonl:9 hub"]
    assert told(first.outside) == ["right one/desk(10.1.0.9) > 10.77.0.1  0/0 3.0 path/t.jsonl:13 one"]
    assert told(first.internet) == ["right one/desk(10.1.0.9) > 203.0.113.200  0/0 5.0 path/t.jsonl:15 one"]
    # A test of the other spoke's LAN is no test outside all selectors: the other picture has it.
    assert second.outside == ()


def test_expected_flows_by_their_end() -> None:
    made = evidence()
    made.expects = [
        ("one/desk", "10.0.0.9", "icmp", "reach", 4), ("hub/srv", "one/desk", "tcp/80", "blocked", 0), ("hub/srv", "one/nobody", "icmp", "reach", 6),
        ("one/desk", "10.77.0.1", "icmp", "reach", 7), ("one/desk", "203.0.113.200", "tcp/443", "reach", 8), ("one/desk", "203.0.113.201", "tcp/443", "blocked", 9),
        ("hub", "one", "any", "reach", 10), ("10.0.0.0/25", "10.1.0.0/25", "any", "reach", 11), ("x/y", "10.0.0.9", "any", "reach", 12),
    ]  # fmt: skip
    first, second = ends(made)
    assert told(first.expected) == [
        "right one/desk(10.1.0.9) > 10.0.0.9 icmp expected None case.toml:4 None",
        "left hub/srv() > 10.1.0.9 tcp/80 must not expected None case.toml:None None",
        "left 10.0.0.0/25(10.0.0.0/25) > 10.1.0.0/25 any expected None case.toml:11 None",
    ]
    assert (
        told(first.internet) == ["right one/desk(10.1.0.9) > 203.0.113.200 tcp/443 expected None case.toml:8 None"]
        and second.internet == ()
    )


def test_pings_are_one_series_for_each_pair_of_hosts() -> None:
    made = evidence()
    rows = [
        ("one/desk", "10.0.0.9", 1.0),
        ("one/desk", "10.0.0.9", None),
        ("hub/srv", "10.1.0.9", 2.0),
        ("one/desk", "10.0.0.9", None),
        ("one/desk", "10.9.0.9", None),
        ("x/y", "10.0.0.9", 1.0),
    ]
    made.pings = [Placed(PingRecord(AT.format(n), s, t, n, r), "p.jsonl", n) for n, (s, t, r) in enumerate(rows)]
    first, second = ends(made)
    assert [
        (p.source, p.to, p.from_left, p.answered, [t and t - ZERO for t in p.times], p.where) for p in first.pings
    ] == [
        ("one/desk", "10.0.0.9", False, (True, False, False), [0, 1, 3], Provenance("p.jsonl", "one", line=1)),
        ("hub/srv", "10.1.0.9", True, (True,), [2], Provenance("p.jsonl", "hub", line=2)),
    ]
    assert second.pings == ()


def link(number: int, site: str, what: str = "link-down", subject: str = "") -> Placed[EventRecord]:
    return Placed(EventRecord(AT.format(number), what, site, subject), "e.jsonl", number)


def test_links_that_a_tunnel_runs_over() -> None:
    made = evidence()
    made.happenings = [
        link(1, "hub", subject="wan0"), link(2, "hub", subject="lan0"), link(3, "hub", "link-up", "other"), link(4, "one", "reboot"), link(5, "one"),
        link(6, "provider"), link(7, "two"),
    ]  # fmt: skip
    first, second = ends(made)
    assert [(e.site, e.up, e.at and e.at - ZERO, e.subject, e.where) for e in first.link_events] == [
        ("hub", False, 1, "wan0", Provenance("e.jsonl", "hub", line=1)),
        ("hub", True, 3, "other", Provenance("e.jsonl", "hub", line=3)),
        ("one", False, 5, "", Provenance("e.jsonl", "one", line=5)),
    ]
    assert [(e.site, e.where.line) for e in second.link_events] == [("hub", 1), ("hub", 3), ("two", 7)]
    alone = evidence()
    alone.sheets, alone.happenings = alone.sheets[1:2], made.happenings
    (only,) = pictures(alone)
    assert [(e.site, e.where.line) for e in only.link_events] == [
        ("hub", 1),
        ("hub", 2),
        ("hub", 3),
        ("one", 5),
        ("provider", 6),
    ]


def flow(src: str, dst: str, spi: str, packets: int, last: float, **sizes: int) -> EspFlow:
    return EspFlow(src, dst, spi, packets, 0.0, last, sizes={int(k[1:]): v for k, v in sizes.items()})


def capture(file: str, site: str | None, *flows: EspFlow, packets: int = 1) -> Capture:
    return Capture(file, site, esp={(f.src, f.dst, f.spi): f for f in flows}, packets=packets)


def test_esp_by_direction_and_end() -> None:
    made = evidence()
    made.captures = [
        capture(
            "hub/wan.pcap",
            "hub",
            flow(HUB, ONE, "aa", 5, 9.0, b100=3, b200=2),
            flow(ONE, HUB, "bb", 2, 7.0, b60=2),
            flow(HUB, TWO, "cc", 9, 30.0, b90=9),
        ),
        capture(
            "one/wan.pcap",
            "one",
            flow("172.16.5.5", ONE, "aa", 4, 9.5, b100=3, b200=1),
            flow(ONE, HUB, "bb", 3, 8.0, b60=3),
        ),
    ]
    first, second = ends(made)
    assert (first.esp_out, first.esp_back, first.esp_last) == (5, 5, 9.0)
    assert [(e.from_left, e.sent, e.got, e.files) for e in first.esp_seen] == [
        (True, {100: 3, 200: 2}, {100: 3, 200: 1}, ("hub/wan.pcap", "one/wan.pcap")),
        (False, {60: 3}, {60: 2}, ("one/wan.pcap", "hub/wan.pcap")),
    ]
    assert (second.esp_out, second.esp_back, second.esp_last) == (9, 0, 30.0)
    assert [(e.from_left, e.sent, e.got, e.files) for e in second.esp_seen] == [
        (True, {90: 9}, None, ("hub/wan.pcap",))
    ]
    made.captures[1].packets = 0
    assert [e.got for e in ends(made)[0].esp_seen] == [None, {60: 2}]
    assert (first.left.captures, first.right.captures, second.right.captures) == (
        ("hub/wan.pcap",),
        ("one/wan.pcap",),
        (),
    )
    made.captures = []
    assert (ends(made)[0].esp_out, ends(made)[0].esp_last, ends(made)[0].esp_seen) == (0, 0.0, ())


def test_messages_and_refusals_of_the_path_between_the_two_addresses(monkeypatch: pytest.MonkeyPatch) -> None:
    made = evidence()
    gram = [
        Datagram(
            float(n),
            s,
            500,
            d,
            500,
            samples.init_request(14, spi=bytes([n + 1] * 8)),
            Provenance("c", "hub", packet=n),
            ttl=64,
        )
        for n, (s, d) in enumerate(((HUB, ONE), (ONE, HUB), (HUB, TWO)))
    ]
    lost = [
        Unreachable(1.0, "192.0.2.1", s, d, 500, False, Provenance("c", "hub", packet=9))
        for s, d in ((HUB, ONE), (TWO, HUB), (HUB, "10.9.9.9"))
    ]
    made.captures = [Capture("c", "hub", Datagrams(gram), lost, packets=3)]
    first, second = ends(made)
    assert [(n.initiator, n.responder) for n in first.negotiations] == [(HUB, ONE), (ONE, HUB)]
    assert first.unreachables == (lost[0],) and second.unreachables == (lost[1],)
    assert first.cuts == ()
    many = [
        Datagram(float(n), HUB, 500, ONE, 500, samples.sealed(37, 8, 20, n), Provenance("c", "hub", packet=n), ttl=64)
        for n in range(MAX_STEPS + 3)
    ]
    made.captures = [Capture("c", "hub", Datagrams(many), packets=3)]
    (cut,) = ends(made)[0].cuts
    assert (
        cut.file == "c"
        and cut.text == f"3 messages of the IKE SA 4f0c1d77a03e91e2 beyond its first {MAX_STEPS:,} are not looked at"
    )
    monkeypatch.setattr(messages, "MOST_MESSAGES", 10)
    (negotiation,) = ends(made)[0].negotiations
    first_and_last = [*range(5), *range(MAX_STEPS - 2, MAX_STEPS + 3)]
    assert [step.at for step in negotiation.steps] == first_and_last
    assert (
        made.problems[-1].text
        == f"{MAX_STEPS - 7:,} messages between the first and the last of hub-one are not looked at"
    )


def test_of_thousands_of_negotiations_the_first_and_the_last_are_looked_at(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(messages, "MOST_SAS", 4)
    made = evidence()
    many = [
        Datagram(float(n), HUB, 500, ONE, 500, bytes([n] * 8) + samples.sealed(37, 8, 20)[8:], Provenance("c", "hub", packet=n))
        for n in range(1, 10)
        for _ in range(2)
    ]  # fmt: skip
    made.captures = [Capture("c", "hub", Datagrams(many), packets=3)]
    found = ends(made)[0].negotiations
    assert [n.spi_i[0] for n in found] == [1, 2, 8, 9] and [len(n.steps) for n in found] == [2] * 4
    (said,) = [p for p in made.problems if "IKE SAs" in p.text]
    assert said.text == "5 IKE SAs between the first and the last of hub-one are not looked at" and said.file == "c"


def counters(number: int, site: str, **more: Any) -> tuple[int, CounterRecord]:
    return number, CounterRecord(AT.format(number), site, **more)


def test_counters_of_each_end() -> None:
    made = evidence()
    rows = [
        counters(1, "hub", tunnel="to-one", spi_in="x", spi_out="a", packets_out=5, packets_in=9),
        counters(
            2,
            "hub",
            tunnel="to-hub",
            spi_in="x",
            spi_out="a",
            packets_out=7,
            packets_in=3,
            errors={"replay": 4, "integrity": "many", "other": 9},
        ),
        counters(
            3,
            "hub",
            remote_ts=("10.1.0.0/24",),
            spi_out="b",
            packets_out=1,
            packets_in=2,
            errors={"integrity": 2, "replay": -1},
        ),
        counters(4, "hub", remote_ts=("10.2.0.0/24",), spi_out="c", packets_out=100),
        counters(5, "hub", tunnel="nothing", spi_out="d", packets_out=1000),
        counters(6, "one", tunnel="to-one", spi_out="e", packets_out=11, packets_in=12),
    ]
    gathering = Gathering("k.jsonl", made.counters)
    gathering.add([line for line, _ in rows], [record for _, record in rows])
    gathering.done()
    first, second = ends(made)
    assert (first.left.out_packets, first.left.in_packets, first.right.out_packets, first.right.in_packets) == (
        8,
        11,
        11,
        12,
    )
    assert tuple(first.left.readings) == (
        CounterReading(ZERO + 1, "x/a", 5, 9, 0, 0), CounterReading(ZERO + 2, "x/a", 7, 3, 4, 0), CounterReading(ZERO + 3, "/b", 1, 2, 0, 2),
    )  # fmt: skip
    assert places(first.left) == (Provenance("k.jsonl", "hub", line=1), Provenance("k.jsonl", "hub", line=3))
    assert (second.left.out_packets, second.left.has_counters, second.right.has_counters) == (100, True, False)


def event(number: int, peer: str | None = None, what: What = What.RESENT, **more: Any) -> Event:
    return Event(what, Provenance("hub/log", "hub", line=number), "", float(number), peer=peer, **more)


def heard(made: Evidence) -> list[list[int | None]]:
    return [[e.where.line for e in end.events] for p in pictures(made) for end in p.ends]


def test_a_hub_s_lines_go_to_the_tunnel_of_their_peer() -> None:
    made = evidence()
    events = [
        event(1), event(2, ONE), event(3, TWO), event(4, "203.0.113.250"), event(5, ONE, own=HUB), event(6, ONE, own="192.0.2.99"),
        event(7, HUB, own=TWO), event(8, HUB, own="192.0.2.99"), event(9, HUB),
    ]  # fmt: skip
    made.logs = [Log("hub/log", "hub", 9, events)]
    assert heard(made) == [[2, 5], [], [3, 7], []]
    assert [e.has_log for p in pictures(made) for e in p.ends] == [True, False, True, False]
    # With one tunnel alone, lines without a peer are its own, and so are those of its peer to whatever address.
    made.sheets = made.sheets[1:2]
    made.logs = [
        Log(
            "one/log",
            "one",
            9,
            [
                event(1),
                event(2, HUB, own="192.0.2.99"),
                event(3, "203.0.113.250"),
                event(4, ONE, own=HUB),
                event(5, ONE),
                event(6, ONE, own="10.0.0.1"),
            ],
        )
    ]
    (only,) = pictures(made)
    assert [e.where.line for e in (only.left if only.left.site == "one" else only.right).events] == [1, 2, 4, 5]


def test_a_peer_that_authenticated_from_another_address_has_it_too() -> None:
    made = evidence()
    made.sheets = made.sheets[1:2]
    made.logs = [
        Log(
            "one/log",
            "one",
            9,
            [
                event(1, "203.0.113.77", What.IKE_UP),
                event(2, "203.0.113.78", What.ASKED),
                event(3, "203.0.113.79", What.AUTH_OK),
                event(4, ONE, What.IKE_UP),
            ],
        )
    ]
    (only,) = pictures(made)
    assert {e.site: e.addresses for e in only.ends} == {"hub": {HUB, "203.0.113.77", "203.0.113.79"}, "one": {ONE}}
    several = evidence()
    several.logs = [Log("one/log", "one", 9, [event(1, "203.0.113.77", What.IKE_UP)])]
    assert ends(several)[0].left.addresses == {HUB}


def test_a_sheet_s_values_and_their_lines() -> None:
    first, second = ends(evidence())
    assert [(e.sheet_file, e.sheet_line) for e in (*first.ends, *second.ends)] == [
        ("sites/hub.toml", 8), ("sites/one.toml", 8), ("sites/hub.toml", 19), ("sites/two.toml", 8),
    ]  # fmt: skip
    assert second.left.sheet_at("local_ts") == Provenance("sites/hub.toml", "hub", line=24)
    assert second.left.sheet_at("esp_proposal.0.encryption") == Provenance("sites/hub.toml", "hub", line=29)
    assert [p.protocol for p in (*first.left.ike_proposals, *first.left.child_proposals)] == ["IKE", "ESP"]
    assert first.left.tables is not None and list(first.right.hosts) == ["desk"] and first.left.hosts == {}


def test_a_second_tunnel_to_the_same_peer_brings_its_ranges() -> None:
    made = evidence()
    twin = (
        tunnel("again", "hub", ONE, HUB, "10.11.0.0/24", "10.0.0.0/24")
        + tunnel("all", "hub", ONE, HUB, "0.0.0.0/0", "10.0.0.0/24")
        + tunnel("far", "two", ONE, TWO, "10.12.0.0/24", "10.2.0.0/24")
    )
    read = read_sheet(
        sheet("one", "10.1.0.1/24", tunnel("to-hub", "hub", ONE, HUB, "10.1.0.0/24", "10.0.0.0/24"), twin)
    ).sheet
    made.sheets[1] = read
    assert pictures(made)[0].right.networks == {"10.1.0.0/24", "10.11.0.0/24"}


def test_the_link_between_two_gateways_is_nobody_s_lan() -> None:
    made = evidence()
    routed = tunnel("to-hub", "hub", ONE, HUB, "10.1.0.0/24", "10.0.0.0/24").replace(
        "[[tunnel.ike", 'style = "route"\ninterface = "tun0"\n[[tunnel.ike', 1
    )
    body = sheet(
        "one", "10.1.0.1/24", '[[interface]]\nname = "tun0"\naddresses = ["10.255.0.1/30", "no address"]\n', routed
    )
    read = read_sheet(body).sheet
    made.sheets[1] = read
    made.networks["one"] |= {"10.255.0.0/30", "10.254.0.0/30"}
    shown = b'[{"ifname":"tun9","flags":["POINTOPOINT"],"addr_info":[{"family":"inet","local":"10.254.0.1","prefixlen":30}]}]'
    made.tables["one", ""] = read_table("addresses", shown, "one/ip-addr.json", Tables("one"))
    assert pictures(made)[0].right.networks == {"10.1.0.0/24"}


@pytest.mark.parametrize(
    ("networks", "addresses", "near", "far", "own", "all_"),
    [
        (("10.1.0.0/24", "192.0.2.0/28"), (HUB,), (), (), {"10.1.0.0/24"}, {"10.1.0.0/24"}),
        (("192.0.2.0/28",), (HUB,), (), (), set(), {"192.0.2.0/28"}),
        (("10.1.0.0/24",), (), ("10.5.0.0/24", "0.0.0.0/0"), (), {"10.1.0.0/24"}, {"10.1.0.0/24", "10.5.0.0/24"}),
        ((), (), ("::/0",), ("10.6.0.0/24", "0.0.0.0/0"), set(), {"10.6.0.0/24"}),
        ((), (), (), (), set(), {"10.8.0.0/24"}),
    ],
)  # fmt: skip
def test_which_networks_are_behind_an_end(
    networks: tuple[str, ...],
    addresses: tuple[str, ...],
    near: tuple[str, ...],
    far: tuple[str, ...],
    own: set[str],
    all_: set[str],
) -> None:
    from stomion.exchange.story import read_story
    from stomion.model.site import SheetTunnel

    end = End("a", frozenset(addresses), frozenset(networks), sheet=SheetTunnel("t", local_ts=near) if near else None)
    up = event(1, what=What.CHILD_UP, my_ts=("10.7.0.0/24", "10.8.0.0/24"), spis=("x", "y"))
    other = End("b", sheet=SheetTunnel("t", remote_ts=far) if far else None, story=read_story([up]))
    assert behind(end) == own and lans_of(end, other) == all_
    assert without_any(["0.0.0.0/0", "10.0.0.0/8", "::/0"]) == {"10.0.0.0/8"}
    assert meets("10.0.0.0/8", ["10.1.0.0/24"]) and not meets("printer", ["10.1.0.0/24"]) and not meets("10.1.0.1", [])


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("10.1.0.0", "the network's own address"), ("10.1.0.255", "the broadcast address"), ("10.1.0.1", ""), ("10.5.0.255", "the broadcast address"),
        ("10.9.0.0", ""), ("10.9.0.3", "the broadcast address"), ("10.8.0.0", ""), ("10.8.0.1", ""), ("fd00::", ""), ("desk", ""),
    ],
)  # fmt: skip
def test_an_address_that_no_host_has(address: str, words: str) -> None:
    from stomion.model.site import SheetTunnel

    networks = frozenset(("10.1.0.0/24", "10.9.0.0/30", "10.8.0.0/31", "fd00::/64", "no network"))
    end = End("a", networks=networks, sheet=SheetTunnel("t", local_ts=("10.5.0.0/24",)))
    assert no_host(address, end) == (words or ("the network's own address" if address == "10.9.0.0" else ""))
