"""The walk of sets of packets against one packet at a time, walked by a plain reading of the same tables."""

from __future__ import annotations

import dataclasses
import random
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from conftest import RECORDED
from stomion.errors import UsageError
from stomion.ingest.sheet import read_sheet
from stomion.jobs.examine import examine
from stomion.model.tables import Action, Rule, Tables
from stomion.space.axis import address_number, interval_of
from stomion.space.boxes import EVERY, Region
from stomion.tunnel.flows import flows_of
from stomion.tunnel.picture import End, Picture
from stomion.walk.declared import declared_tables, tunnel_policy
from stomion.walk.journey import Side, packet_box, partition, round_trip
from stomion.walk.passage import Fate
from stomion.whatif.attempt import Try
from stomion.whatif.edits import moved, without
from stomion.whatif.tables import Place, outcome, tried

A_LAN, B_LAN = "10.64.0.0/28", "10.96.0.0/28"
NETS = [
    "10.64.0.0/28",
    "10.64.0.0/29",
    "10.64.0.8/30",
    "10.96.0.0/28",
    "10.96.0.4/30",
    "10.96.0.8/29",
    "0.0.0.0/0",
    "10.64.0.3/32",
]
SERVICES = ["any", "tcp/80", "tcp/20-90", "udp/53", "icmp", "tcp"]


@dataclass(frozen=True)
class Entry:
    """A rule as plain words; the reference and the sheet are both made from it."""

    source: str
    destination: str
    service: str
    action: str


RULE = st.builds(
    Entry,
    st.sampled_from(NETS),
    st.sampled_from(NETS),
    st.sampled_from(SERVICES),
    st.sampled_from(["allow", "drop", "reject"]),
)
TRANSLATION = st.builds(
    Entry, st.sampled_from(NETS), st.sampled_from(NETS), st.just("any"), st.sampled_from(["masquerade", "exempt"])
)
ROUTE = st.tuples(
    st.sampled_from(NETS[3:6]),
    st.sampled_from(["192.0.2.1", "", "10.64.0.14"]),
    st.sampled_from(["unicast", "blackhole"]),
)


def _sheet(
    site: str,
    lan: str,
    wan: str,
    far: str,
    filters: list[Entry],
    translations: list[Entry],
    routes: list[tuple[str, str, str]],
) -> str:
    gateway = str(IPv4Network(lan)[-2])
    out = [f'site = "{site}"', f'[[interface]]\nname = "wan0"\naddresses = ["{wan}/24"]\nzone = "outside"']
    out.append(f'[[interface]]\nname = "lan0"\naddresses = ["{gateway}/28"]\nzone = "inside"')
    out.append(f'[[tunnel]]\nname = "t"\nlocal_ts = ["{lan}"]\nremote_ts = ["{far}"]')
    for destination, via, kind in [("0.0.0.0/0", "192.0.2.1", "unicast"), *routes]:
        hop = f'via = "{via}"' if via else 'interface = "wan0"'
        out.append(f'[[route]]\ndestination = "{destination}"\n{hop}\ntype = "{kind}"')
    for t in translations:
        match = f'out_interface = "wan0", source = "{t.source}", destination = "{t.destination}"'
        out.append(f'[[translation]]\nmatch = {{ {match} }}\naction = "{t.action}"')
    for f in filters:
        match = f'source = "{f.source}", destination = "{f.destination}", service = "{f.service}"'
        out.append(f'[[filter]]\nmatch = {{ {match} }}\naction = "{f.action}"')
    return "\n".join(out)


def _fits(entry: Entry, source: str, destination: str, service: str) -> bool:
    inside = IPv4Address(source) in IPv4Network(entry.source) and IPv4Address(destination) in IPv4Network(
        entry.destination
    )
    return inside and _serves(entry.service, service)


def _serves(rule: str, service: str) -> bool:
    if rule == "any" or rule == service:
        return True
    if rule == "tcp/20-90":
        return service.startswith("tcp/") and 20 <= int(service[4:]) <= 90
    return rule == "tcp" and service.startswith("tcp")


def _reference(
    source: str,
    destination: str,
    service: str,
    filters: list[Entry],
    translations: list[Entry],
    routes: list[tuple[str, str, str]],
) -> str:
    """One packet out of the A LAN, read off the tables by hand: longest prefix, first match, first match, selectors."""
    table = [("0.0.0.0/0", "192.0.2.1", "unicast"), (A_LAN, "", "lan"), ("192.0.2.0/24", "", "unicast"), *routes]
    own = str(IPv4Network(A_LAN)[-2])
    if destination == own:
        return "local"
    held = [r for r in table if IPv4Address(destination) in IPv4Network(r[0])]
    longest = max(IPv4Network(r[0]).prefixlen for r in held)
    way = next(r for r in held if IPv4Network(r[0]).prefixlen == longest)
    if way[2] == "blackhole":
        return "lost"
    out = "lan0" if way[2] == "lan" or way[1] == "10.64.0.14" else "wan0"
    if filters:
        verdict = next((f.action for f in filters if _fits(f, source, destination, service)), "drop")
        if verdict != "allow":
            return "dropped"
    if out == "wan0":
        action = next((t.action for t in translations if _fits(t, source, destination, service)), "exempt")
        if action == "masquerade":
            return "translated"
    fits = IPv4Address(source) in IPv4Network(A_LAN) and IPv4Address(destination) in IPv4Network(B_LAN)
    return "carried" if fits else "leaked"


_WORDS = {
    Fate.CARRIED: "carried", Fate.TRANSLATED: "translated", Fate.LEAKED: "leaked", Fate.DROPPED: "dropped", Fate.LOST: "lost",
    Fate.LOCAL: "local",
}  # fmt: skip


def _sides(text: str) -> tuple[Side, Side]:
    sheet = read_sheet(text).sheet
    tables = declared_tables(sheet, "sites/a.toml")
    policy = tunnel_policy(sheet.tunnel[0], None)
    near = Side("a", tables, {}, policy, tuple(interval_of(A_LAN)))
    return near, Side("b", None, {}, None, tuple(interval_of(B_LAN)))


@settings(max_examples=120)
@given(
    st.lists(RULE, max_size=5),
    st.lists(TRANSLATION, max_size=3),
    st.lists(ROUTE, max_size=2, unique_by=lambda r: r[0]),
    st.integers(0, 9999),
)
def test_the_partition_says_of_every_packet_what_a_plain_reading_says(
    filters: list[Entry], translations: list[Entry], routes: list[tuple[str, str, str]], seed: int
) -> None:
    sender, receiver = _sides(_sheet("a", A_LAN, "192.0.2.10", B_LAN, filters, translations, routes))
    shares = partition(sender, receiver)
    chance = random.Random(seed)
    for _ in range(12):
        source = str(IPv4Network(A_LAN)[chance.randrange(16)])
        destination = str(IPv4Network(B_LAN)[chance.randrange(16)])
        service = chance.choice(["tcp/80", "tcp/22", "tcp/443", "udp/53", "icmp"])
        point = tuple(low for low, _ in packet_box(source, destination, service))
        (share,) = [s for s in shares if point in s.region]
        expected = _reference(source, destination, service, filters, translations, routes)
        assert _WORDS[share.fate] == expected, (source, destination, service)


@settings(max_examples=60)
@given(
    st.lists(RULE, max_size=5), st.lists(TRANSLATION, max_size=3), st.lists(ROUTE, max_size=2, unique_by=lambda r: r[0])
)
def test_the_shares_are_all_packets_and_none_twice(
    filters: list[Entry], translations: list[Entry], routes: list[tuple[str, str, str]]
) -> None:
    shares = partition(*_sides(_sheet("a", A_LAN, "192.0.2.10", B_LAN, filters, translations, routes)))
    whole = Region(((*(i[0] for i in (interval_of(A_LAN), interval_of(B_LAN))), *EVERY[2:]),))
    together = Region(tuple(b for s in shares for b in s.region.boxes))
    assert sum(s.region.size() for s in shares) == whole.size()
    assert together.same(whole)


TABLED = [
    p.name
    for p in sorted(RECORDED.iterdir())
    if (p / "path" / "records.jsonl").exists() and (p / "north" / "nft-ruleset.json").exists()
]
PATH = ("v2-esp-blocked-one-way", "v2-mtu-blackhole")
"""Cases whose tests failed between the gateways, where no table decides."""
CHANGED = ("v2-change-block-works",)
"""Cases whose tables changed while the tests ran."""


def _walked(name: str) -> list[tuple[bool, bool]]:
    """(what the tables say, what was recorded) of every test of a case whose hosts are known."""
    (diagnosis,) = examine([RECORDED / name]).tunnels
    flows = flows_of(diagnosis.picture)
    assert flows is not None
    found = [(f.trip.works, f.test.passed) for f in flows.flows if f.trip is not None and f.test.source]
    assert found
    return found


@pytest.mark.parametrize("name", [n for n in TABLED if n not in (*PATH, *CHANGED)])
def test_the_walk_foretells_what_the_recorded_tests_saw(name: str) -> None:
    """Every recorded test ended as the tables of both gateways and hosts say it must."""
    assert all(foretold is seen for foretold, seen in _walked(name))


@pytest.mark.parametrize("name", PATH)
def test_what_fails_between_the_gateways_passes_all_tables(name: str) -> None:
    found = _walked(name)
    assert all(foretold for foretold, _ in found) and not all(seen for _, seen in found)


def test_the_recorded_cases_with_tables_are_all_there() -> None:
    assert len(TABLED) == 13 and {*PATH, *CHANGED} < set(TABLED)


def test_a_tried_change_says_exactly_which_packets_change() -> None:
    """Before against after: every packet of the difference had the one fate and gets the other, and no other packet changes."""
    block, allow = Entry("0.0.0.0/0", "0.0.0.0/0", "tcp", "drop"), Entry("0.0.0.0/0", "10.96.0.4/30", "tcp/80", "allow")
    text = _sheet("a", A_LAN, "192.0.2.10", B_LAN, [block, allow], [], [])
    sheet = read_sheet(text).sheet
    policies = tuple(p for p in [tunnel_policy(sheet.tunnel[0], None)] if p)
    tables = dataclasses.replace(declared_tables(sheet, "a"), policies=policies)
    left = End("a", tables=tables, sheet=sheet.tunnel[0])
    right = End("b", sheet=replace(sheet.tunnel[0], local_ts=(B_LAN,), remote_ts=(A_LAN,)))
    before = Picture("t", left, right)
    block_rule, allow_rule = tables.chains["filter"].rules[1:]
    attempt = tried(Try("A", before), Place(0), lambda t: moved(t, allow_rule, -1))
    assert [c.words for c in attempt.changes] == ["in filter move rule 2 above rule 1"]
    (difference,) = outcome(before, attempt.picture).differences
    assert (difference.from_left, difference.before, difference.after) == (True, Fate.DROPPED, Fate.CARRIED)
    wanted = Region(
        tuple((a, b, (6, 6), EVERY[3], (80, 80)) for a in interval_of(A_LAN) for b in interval_of("10.96.0.4/30"))
    )
    assert difference.region.same(wanted)
    assert "switch rule 1 off" in without(tables, block_rule)[1]
    for step, rule in ((-1, block_rule), (1, allow_rule), (-1, Rule(7, Action.DROP, (), block_rule.where))):
        with pytest.raises(UsageError):
            moved(tables, rule, step)
    assert before.left.tables is tables and [r.number for r in tables.chains["filter"].rules] == [0, 1, 2]


def test_an_answer_passes_where_its_question_did() -> None:
    """Connection tracking: the far gateway lets the answer out though no rule of its own would, and translates nothing anew."""
    a = read_sheet(_sheet("a", A_LAN, "192.0.2.10", B_LAN, [Entry(A_LAN, B_LAN, "tcp/80", "allow")], [], [])).sheet
    b = read_sheet(
        _sheet(
            "b",
            B_LAN,
            "198.51.100.34",
            A_LAN,
            [Entry(A_LAN, B_LAN, "any", "allow")],
            [Entry("0.0.0.0/0", "0.0.0.0/0", "any", "masquerade")],
            [],
        )
    ).sheet
    b_tables = declared_tables(b, "b")
    onward = (r for r in declared_tables(a, "a").routes if r.length == 0)
    b_tables = dataclasses.replace(b_tables, routes=(*(r for r in b_tables.routes if r.via != "192.0.2.1"), *onward))
    sides = [
        Side(s.site, t, {}, tunnel_policy(s.tunnel[0], None), tuple(interval_of(lan)))
        for s, t, lan in ((a, declared_tables(a, "a"), A_LAN), (b, b_tables, B_LAN))
    ]
    trip = round_trip(sides[0], sides[1], packet_box("10.64.0.2", "10.96.0.2", "tcp/80"))
    assert trip.works
    back = round_trip(sides[1], sides[0], packet_box("10.96.0.2", "10.64.0.2", "tcp/80"))
    assert back.there.fate in (Fate.TRANSLATED, Fate.DROPPED)


def test_a_machine_without_tables_lets_everything_pass() -> None:
    box = packet_box("10.64.0.2", "10.96.0.2", "icmp")
    assert round_trip(Side("a", None), Side("b", None), box).works
    empty = Side("a", Tables("a"))
    assert round_trip(empty, Side("b", None), box).there.fate is Fate.LOST
    assert address_number("10.0.0.1") == 0x0A000001
