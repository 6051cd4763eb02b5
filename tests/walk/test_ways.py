"""Ways that part, turn back or go round, the step that decided, and many pieces kept on a shelf."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stomion.ingest.ostables import read_table
from stomion.model.box import Box, Interval
from stomion.model.provenance import Provenance
from stomion.model.tables import Action, Chain, ChainKind, Hook, Names, Policy, Route, Rule, Tables
from stomion.space.axis import LAST, V6_FIRST, address_number, interval_of
from stomion.space.boxes import EVERY, Region, meet
from stomion.walk import index
from stomion.walk import shelf as shelves
from stomion.walk.journey import Leg, Machine, Side, packet_box, partition, travel
from stomion.walk.passage import Decision, Fate
from stomion.walk.pieces import Piece, split
from stomion.walk.shelf import Shelf

HERE = Provenance("tables.json", "a")
A_LAN, B_LAN = interval_of("10.64.0.0/24")[0], interval_of("10.96.0.0/24")[0]
ALL = interval_of("0.0.0.0/0")[0]


def _route(to: Interval, length: int, dev: str, via: str = "", others: tuple[tuple[str, str], ...] = ()) -> Route:
    return Route(to, length, HERE, via, dev, others=others)


def _tables(site: str, lan: str, routes: Iterable[Route], by_route: bool) -> Tables:
    own = (("lan0", f"{lan}.1/24"), ("wan0", "192.0.2.10/24"), ("wan1", "198.51.100.10/24"))
    return Tables(
        site,
        addresses={dev: ((address_number(text.partition("/")[0]), interval_of(text)[0]),) for dev, text in own},
        routes=(_route(interval_of(f"{lan}.0/24")[0], 24, "lan0"), _route(ALL, 0, "wan0", "192.0.2.1"), *routes),
        tunnel_devs=frozenset(("tun0",)) if by_route else frozenset(),
    )


def _side(tables: Tables, near: Interval, far: Interval) -> Side:
    dev = "tun0" if tables.tunnel_devs else ""
    policy = Policy("t", (near,), (far,), dev, HERE)
    return Side(tables.site, replace(tables, policies=(policy,)), {}, policy, (near,))


def _leg(near: Side, far: Side) -> Leg:
    (leg,) = travel(near, far, [packet_box("10.64.0.9", "10.96.0.10", "tcp/80")])
    return leg


def _far(by_route: bool = True) -> Side:
    return _side(_tables("b", "10.96.0", [_route(A_LAN, 24, "tun0")], by_route), B_LAN, A_LAN)


def test_next_hops_that_all_lead_into_the_tunnel_are_one_way() -> None:
    routes = [_route(B_LAN, 24, "wan0", "192.0.2.1", (("wan1", "198.51.100.1"),))]
    assert _leg(_side(_tables("a", "10.64.0", routes, False), A_LAN, B_LAN), _far(False)).fate is Fate.CARRIED


def test_next_hops_with_two_outcomes_leave_it_open() -> None:
    routes = [_route(B_LAN, 24, "tun0", "", (("wan1", "198.51.100.1"),))]
    leg = _leg(_side(_tables("a", "10.64.0", routes, True), A_LAN, B_LAN), _far())
    assert leg.fate is Fate.UNCERTAIN
    assert "tun0: carried" in leg.says and "198.51.100.1: no tunnel takes it, it leaves unencrypted" in leg.says


def test_dead_next_hops_do_not_count() -> None:
    text = (
        '[{"dst":"10.96.0.0/24","nexthops":[{"gateway":"192.0.2.1","dev":"wan0","flags":["dead","linkdown"]},'
        '{"gateway":"192.0.2.2","dev":"wan1","flags":[]},{"via":{"host":"2001:db8::1"},"dev":"wan2"}]}]'
    )
    (route,) = read_table("routes", text.encode(), "a/route.json", Tables("a")).routes
    assert (route.dev, route.via, route.others) == ("wan1", "192.0.2.2", (("wan2", "2001:db8::1"),))


def test_a_packet_sent_back_to_where_it_came_from_is_no_leak() -> None:
    routes = [_route(B_LAN, 24, "lan0", "10.64.0.254")]
    leg = _leg(_side(_tables("a", "10.64.0", routes, True), A_LAN, B_LAN), _far())
    assert leg.fate is Fate.LOOPING and leg.says == "turned back out of lan0, where it came in"


def test_one_interface_for_everything_leaks_and_does_not_loop() -> None:
    tables = Tables(
        "a",
        addresses={"eth0": ((address_number("10.64.0.1"), A_LAN),)},
        routes=(_route(ALL, 0, "eth0", "10.64.0.254"),),
    )
    far = interval_of("10.97.0.0/24")[0]
    assert _leg(_side(tables, A_LAN, far), _far(False)).fate is Fate.LEAKED


def test_what_the_far_end_routes_back_into_the_tunnel_goes_round() -> None:
    near = _side(_tables("a", "10.64.0", [_route(B_LAN, 24, "tun0")], True), A_LAN, B_LAN)
    far = _far()
    assert far.gateway is not None and far.policy is not None
    wide = replace(far.policy, near=(ALL,), far=(ALL,))
    gateway = replace(far.gateway, policies=(wide,), routes=(_route(ALL, 0, "tun0"),))
    leg = _leg(near, replace(far, gateway=gateway, policy=wide))
    assert leg.fate is Fate.LOOPING and leg.at == 1 and "back into the tunnel" in leg.says


def test_the_step_that_decided_is_the_one_to_change() -> None:
    """A stolen route, not the tunnel decision that follows from it; a translation, not the tunnel that then finds nothing."""
    stolen = _side(
        _tables(
            "a",
            "10.64.0",
            [_route(interval_of("10.96.0.0/25")[0], 25, "wan1", "198.51.100.1"), _route(B_LAN, 24, "tun0")],
            True,
        ),
        A_LAN,
        B_LAN,
    )
    leg = _leg(stolen, _far())
    assert (
        leg.fate is Fate.LEAKED
        and leg.steps[leg.decided][1].what is Decision.ROUTE
        and leg.decided < len(leg.steps) - 1
    )
    rule = Rule(1, Action.MASQUERADE, (EVERY,), HERE)
    hiding = {"nat": Chain("nat", (rule,), ChainKind.NAT, Hook.POSTROUTING, 100)}
    by_policy = replace(_tables("a", "10.64.0", [], False), chains=hiding)
    leg = _leg(_side(by_policy, A_LAN, B_LAN), _far(False))
    step = leg.steps[leg.decided][1]
    assert leg.fate is Fate.TRANSLATED and step.rule is rule
    assert step.sets == (0, address_number("192.0.2.10")) and leg.decided < len(leg.steps) - 1
    carried = _leg(_side(_tables("a", "10.64.0", [], False), A_LAN, B_LAN), _far(False))
    assert carried.decided == len(carried.steps) - 1


def test_parted_ways_are_all_packets_and_none_twice() -> None:
    """One hop's filter takes a part away: only that part is open, and the whole is still every packet once."""
    routes = [_route(B_LAN, 24, "wan0", "192.0.2.1", (("wan1", "198.51.100.1"),))]
    drop = Rule(
        1, Action.DROP, (packet_box("10.64.0.9", "10.96.0.10", "tcp/80"),), HERE, out_dev=Names(frozenset(("wan1",)))
    )
    chains = {"f": Chain("f", (drop,), ChainKind.FILTER, Hook.FORWARD)}
    tables = replace(_tables("a", "10.64.0", routes, False), chains=chains)
    shares = partition(_side(tables, A_LAN, B_LAN), _far(False))
    sizes = {s.fate: s.region.size() for s in shares}
    whole = Region(((A_LAN, B_LAN, *EVERY[2:]),)).size()
    assert sizes == {Fate.UNCERTAIN: 1, Fate.CARRIED: whole - 1}


ADDRESS = st.one_of(st.integers(0, 40), st.integers(V6_FIRST, V6_FIRST + 40), st.integers(LAST - 2**70, LAST))
SMALL = st.integers(0, 30)


def _interval(values: st.SearchStrategy[int]) -> st.SearchStrategy[Interval]:
    return st.tuples(values, values).map(lambda pair: (min(pair), max(pair)))


BOX = st.tuples(_interval(ADDRESS), _interval(ADDRESS), _interval(SMALL), _interval(SMALL), _interval(SMALL))


@settings(max_examples=150)
@given(st.lists(BOX, min_size=1, max_size=3), st.lists(st.lists(BOX, min_size=1, max_size=2), max_size=8))
def test_a_shelf_takes_what_each_rule_matches_and_no_more(start: list[Box], rules: list[list[Box]]) -> None:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(shelves, "FEW", 0)
        whole = Region()
        for box in start:
            whole = whole | Region((box,))
        shelf = Shelf([Piece(b) for b in whole.boxes])
        plain = [Piece(b) for b in whole.boxes]
        for number, boxes in enumerate(rules):
            rule = Rule(number, Action.ACCEPT, tuple(boxes), HERE)
            taken = Region(tuple(p.box for p in shelf.matched(rule)))
            parts = [split(p, rule) for p in plain]
            assert taken.same(Region(tuple(p.box for inside, _ in parts for p in inside)))
            plain = [p for _, outside in parts for p in outside]
            left = Region(tuple(p.box for p in shelf.pieces()))
            assert len(shelf) == len(shelf.pieces()) and left.same(Region(tuple(p.box for p in plain)))
            assert left.size() + taken.size() == Region(tuple(p.box for i, o in parts for p in (*i, *o))).size()


def test_known_hosts_are_cut_out_of_all_packets() -> None:
    """One host without a way back, one that drops a port: the partition names exactly their packets, and the rest is carried."""
    stuck = Tables(
        "b", "host-b", addresses={"eth0": ((address_number("10.96.0.10"), B_LAN),)}, routes=(_route(B_LAN, 24, "eth0"),)
    )
    way = (_route(ALL, 0, "eth0", "10.96.0.1"),)
    rule = Rule(1, Action.DROP, ((*EVERY[:2], (6, 6), EVERY[3], (80, 80)),), HERE)
    chains = {"f": Chain("f", (rule,), ChainKind.FILTER, Hook.INPUT)}
    own = {"eth0": ((address_number("10.96.0.11"), B_LAN),)}
    closed = Tables("b", "host-c", addresses=own, routes=way, chains=chains)
    near, far = _side(_tables("a", "10.64.0", [], False), A_LAN, B_LAN), _far(False)
    far = replace(far, hosts={"host-b": stuck, "host-c": closed})
    there = {(s.fate, s.place): s.region for s in partition(near, far) if s.fate is not Fate.LOCAL}
    port = (A_LAN, (address_number("10.96.0.11"),) * 2, (6, 6), EVERY[3], (80, 80))
    assert there[Fate.DROPPED, Machine.HOST].same(Region((port,)))
    back = {(s.fate, s.place): s.region for s in partition(far, near) if s.fate is not Fate.LOCAL}
    assert back[Fate.LOST, Machine.HOST].same(Region((((address_number("10.96.0.10"),) * 2, A_LAN, *EVERY[2:]),)))
    assert set(there) == {(Fate.DROPPED, Machine.HOST), (Fate.CARRIED, Machine.HOST)}


@settings(max_examples=100)
@given(st.lists(st.lists(BOX, max_size=2), min_size=1, max_size=12), st.lists(BOX, min_size=1, max_size=4))
def test_a_list_s_index_leaves_out_only_what_touches_nothing(lists: list[list[Box]], packets: list[Box]) -> None:
    rules = tuple(Rule(n, Action.ACCEPT, tuple(boxes), HERE) for n, boxes in enumerate(lists))
    pieces = [Piece(b) for b in packets]
    plain = [r for r in rules if any(meet(b, p.box) for b in r.boxes for p in pieces)]
    with pytest.MonkeyPatch.context() as patch:
        for few in (0, 2):
            patch.setattr(index, "FEW", few)
            near = index.near(Tables("a"), "list", rules, lambda r: r.boxes, pieces)
            assert [r for r in near if r in plain] == plain


def test_of_a_long_list_only_what_touches_is_looked_at() -> None:
    nets = [interval_of(f"10.64.{n}.0/24")[0] for n in range(200)]
    rules = tuple(Rule(n, Action.ACCEPT, ((EVERY[0], net, *EVERY[2:]),), HERE) for n, net in enumerate(nets))
    rules = (*rules[:150], Rule(900, Action.DROP, (EVERY,), HERE), *rules[150:])
    tables = Tables("a")

    def listed(pieces: list[Piece]) -> Sequence[Rule]:
        return index.near(tables, "list", rules, lambda r: r.boxes, pieces)

    near = listed(
        [Piece(packet_box("10.96.0.9", "10.64.7.9", "tcp/80")), Piece(packet_box("10.96.0.9", "10.64.180.9", "icmp"))]
    )
    assert [r.number for r in near] == [7, 900, 180]
    many = [Piece(packet_box("10.96.0.9", f"10.64.{n}.9", "icmp")) for n in range(100)]
    assert [r.number for r in listed(many)] == [*range(100), 900]
