# ruff: noqa: E501
"""Every decision of a packet's way as it is told: which rule, route or tunnel, in which order, and what the packet is afterwards."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

import pytest

from stomion.model.provenance import Provenance
from stomion.model.tables import (
    Action,
    Chain,
    ChainKind,
    Hook,
    Names,
    Policy,
    Route,
    RouteKind,
    RoutingRule,
    Rule,
    State,
    Tables,
)
from stomion.space.axis import V4_ALL, V6_ALL, address_number, address_text, interval_of, prefix_of
from stomion.space.boxes import EVERY, box_of
from stomion.walk.chains import MAX_DEPTH, chain_of, chains_of, each_rule
from stomion.walk.gateway import accepts, inbound, outbound
from stomion.walk.hooks import own_address
from stomion.walk.journey import Leg, Side, packet_box, partition, round_trip, travel
from stomion.walk.passage import Passage, Step
from stomion.walk.pieces import Piece
from stomion.walk.routing import Way

A, B = "10.64.0.9", "10.96.1.5"


def at(name: str) -> Provenance:
    return Provenance(name)


def net(text: str) -> tuple[int, int]:
    return interval_of(text)[0]


def rule(number: int, action: Action, to: str = "", *, packets: Any = EVERY, **more: Any) -> Rule:
    return Rule(number, action, (packets,), at(f"r{number}"), to=to, **more)


def chain(
    name: str, *rules: Rule, hook: Hook | None = None, policy: Action = Action.ACCEPT, priority: int = 0
) -> Chain:
    nat = any(r.action in (Action.SOURCE_TO, Action.DESTINATION_TO, Action.MASQUERADE) for r in rules) or name == "nat"
    return Chain(name, rules, ChainKind.NAT if nat else ChainKind.FILTER, hook, priority, policy, at(name))


def route(to: str, dev: str = "", via: str = "", **more: Any) -> Route:
    return Route(*prefix_of(to), at(f"to {to}"), via, dev, **more)


ROUTES = (route("10.64.0.0/24", "lan0"), route("0.0.0.0/0", "wan0", "192.0.2.1"), route("::/0", "wan0", "2001:db8::1"))
ADDRESSES = (
    ("lan0", "10.64.0.1/24"),
    ("wan0", "203.0.113.1/24"),
    ("wan0", "192.0.2.10/24"),
    ("wan0", "2001:db8::10/64"),
)
POLICY = Policy("Marram", (net("10.64.0.0/24"),), (net("10.96.0.0/20"),), "", at("tunnel"))


def gateway(*chains: Chain, routes: Iterable[Route] = (), **more: Any) -> Tables:
    addresses: dict[str, tuple[tuple[int, tuple[int, int]], ...]] = {}
    for dev, text in ADDRESSES:
        addresses[dev] = (*addresses.get(dev, ()), (address_number(text.partition("/")[0]), net(text)))
    made = Tables(
        "a", addresses=addresses, routes=(*ROUTES, *routes), chains={c.name: c for c in chains}, policies=(POLICY,)
    )
    return replace(made, **more)


def step_told(step: Step) -> str:
    return f"{step.what}: {step.says} [{step.where.file if step.where else '-'}]"


def told(passages: Iterable[Passage]) -> list[str]:
    out = []
    for p in passages:
        now = p.piece.now
        last = p.decided.reason if p.decided else "-"
        head = f"{address_text(now[0][0])} {address_text(now[1][0])} {p.fate.value} ({last}) mark {p.piece.mark}"
        out.append(" | ".join((head, *map(step_told, p.steps))))
    return out


def out(tables: Tables, source: str = A, to: str = B, service: str = "tcp/80", state: State = State.NEW) -> str:
    return "\n".join(told(outbound(tables, [Piece(packet_box(source, to, service))], "lan0", state)))


def filtered(*rules: Rule, policy: Action = Action.DROP, others: tuple[Chain, ...] = (), **more: Any) -> str:
    """Of the way out, the filter's steps and how it ended."""
    found = out(gateway(chain("f", *rules, hook=Hook.FORWARD, policy=policy), *others, **more))
    return found.replace(ROUTED, "").replace(SEALED, "")


ROUTED = " | route: out of wan0 via 192.0.2.1 [to 0.0.0.0/0]"
SEALED = " | tunnel: into the tunnel Marram [tunnel]"
GONE = f"{A} {B} carried (-) mark 0"
STOPPED = f"{A} {B} dropped (drops) mark 0 | filter:"
UNCLEAR = f"{A} {B} uncertain (filter-unclear) mark 0 | filter:"
TO_SUB = rule(1, Action.JUMP, "sub")
LAST = rule(9, Action.DROP)


@pytest.mark.parametrize(
    ("rules", "sub", "expected"),
    [
        ((TO_SUB, LAST), (rule(5, Action.ACCEPT),), f"{GONE} | filter: rule 5 lets it pass [r5]"),
        ((TO_SUB, LAST), (rule(5, Action.CONTINUE),), f"{STOPPED} rule 9 drops it [r9]"),
        ((TO_SUB, LAST), (rule(5, Action.RETURN), rule(6, Action.ACCEPT)), f"{STOPPED} rule 9 drops it [r9]"),
        ((rule(1, Action.GOTO, "sub"), rule(9, Action.ACCEPT)), (), f"{STOPPED} the end of f drops it [f]"),
        ((rule(1, Action.GOTO, "sub"), LAST), (rule(5, Action.ACCEPT),), f"{GONE} | filter: rule 5 lets it pass [r5]"),
        ((rule(1, Action.JUMP, "none"),), (), f"{UNCLEAR} rule 1 in f is not understood: chain none is not in the table [r1]"),
        ((rule(1, Action.GOTO, "none"),), (), f"{UNCLEAR} rule 1 in f is not understood: chain none is not in the table [r1]"),
        ((TO_SUB,), (rule(5, Action.JUMP, "sub"),), f"{UNCLEAR} rule 5 in sub is not understood: jumps nested too deeply [r5]"),
        ((rule(1, Action.JUMP, "sub", doubt="ct helper"), LAST), (), f"{UNCLEAR} rule 1 in f is not understood: ct helper [r1]"),
        ((rule(1, Action.RETURN, doubt="ct helper"), LAST), (), f"{UNCLEAR} rule 1 in f is not understood: ct helper [r1]"),
        ((rule(1, Action.GOTO, "sub", doubt="x"), LAST), (), f"{UNCLEAR} rule 1 in f is not understood: x [r1]"),
        ((rule(1, Action.REJECT, name="guests"),), (), STOPPED.replace("drops", "rejects") + " rule 1 “guests” rejects it [r1]"),
        ((rule(1, Action.RETURN), rule(9, Action.ACCEPT)), (), f"{STOPPED} rule 1 drops it [r1]"),
        ((), (), f"{STOPPED} the end of f drops it [f]"),
    ],
)  # fmt: skip
def test_a_filter_tells_the_rule_that_decided(rules: tuple[Rule, ...], sub: tuple[Rule, ...], expected: str) -> None:
    assert filtered(*rules, others=(chain("sub", *sub),)) == expected


@pytest.mark.parametrize(
    ("asks", "matches"),
    [
        ({"in_dev": Names(frozenset(["lan0"]))}, True),
        ({"in_dev": Names(frozenset(["lan0"]), negated=True)}, False),
        ({"out_dev": Names(frozenset(["wan*"]))}, True),
        ({"out_dev": Names(frozenset(["lan0"]))}, False),
        ({"in_zone": Names(frozenset(["inside"]))}, True),
        ({"in_zone": Names(frozenset(["tunnel"]))}, False),
        ({"out_zone": Names(frozenset(["tunnel"]))}, True),
        ({"out_zone": Names(frozenset(["outside"]))}, False),
        ({"states": frozenset([State.NEW])}, True),
        ({"states": frozenset([State.ESTABLISHED])}, False),
        ({"marks": ((0, 0),)}, True),
        ({"marks": ((1, 5),)}, False),
    ],
)
def test_a_rule_asks_where_a_packet_comes_from_and_goes(asks: dict[str, Any], matches: bool) -> None:
    found = filtered(rule(1, Action.ACCEPT, **asks), zones={"lan0": "inside", "wan0": "outside"})
    assert found == (
        f"{GONE} | filter: rule 1 lets it pass [r1]" if matches else f"{STOPPED} the end of f drops it [f]"
    )


def test_jumps_end_at_the_depth_the_system_allows() -> None:
    def ladder(depth: int) -> str:
        rungs = [chain(f"c{n}", rule(n, Action.JUMP, f"c{n + 1}")) for n in range(1, depth)]
        return filtered(rule(0, Action.JUMP, "c1"), others=(*rungs, chain(f"c{depth}", rule(99, Action.ACCEPT))))

    assert "rule 99 lets it pass" in ladder(MAX_DEPTH)
    assert "jumps nested too deeply" in ladder(MAX_DEPTH + 1)


def test_a_mark_that_a_jumped_chain_sets_stays() -> None:
    marking = (rule(4, Action.MARK, "7"), rule(5, Action.MARK))
    found = filtered(TO_SUB, rule(2, Action.ACCEPT, marks=((7, 7),)), others=(chain("sub", marking[0]),))
    assert found == f"{A} {B} carried (-) mark 7 | filter: rule 2 lets it pass [r2]"
    assert filtered(*marking, rule(2, Action.ACCEPT)) == f"{GONE} | filter: rule 2 lets it pass [r2]"


def test_an_empty_chain_that_lets_all_pass_is_no_step() -> None:
    assert filtered(policy=Action.ACCEPT) == GONE


HIDDEN = (
    "translation: rule 1 makes its source {0} [r1] | tunnel: no tunnel takes it, it leaves unencrypted, translated [-]"
)


@pytest.mark.parametrize(
    ("rules", "expected"),
    [
        ((rule(1, Action.ACCEPT),), f"{GONE}{ROUTED} | translation: rule 1 leaves it as it is [r1]{SEALED}"),
        ((rule(1, Action.MASQUERADE),), f"192.0.2.10 {B} translated (translated) mark 0{ROUTED} | " + HIDDEN.format("192.0.2.10")),
        ((rule(1, Action.SOURCE_TO, "192.0.2.77"),), f"192.0.2.77 {B} translated (translated) mark 0{ROUTED} | " + HIDDEN.format("192.0.2.77")),
        ((rule(1, Action.SOURCE_TO, "10.64.0.77"),), f"10.64.0.77 {B} carried (translated) mark 0{ROUTED} | translation: rule 1 makes its source 10.64.0.77 [r1]{SEALED}"),
        ((rule(1, Action.DROP),), f"{A} {B} dropped (translation-drops) mark 0{ROUTED} | translation: rule 1 drops it [r1]"),
        ((rule(1, Action.SOURCE_TO, "a" * 50),), f"{A} {B} uncertain (translation-unclear) mark 0{ROUTED} | translation: rule 1 in nat is not understood: '{'a' * 40}' is no address to translate to [r1]"),
        ((rule(1, Action.SOURCE_TO, "2001:db8::7"),), f"{A} {B} uncertain (translation-unclear) mark 0{ROUTED} | translation: rule 1 in nat is not understood: 2001:db8::7 is of another address family [r1]"),
        ((rule(1, Action.ACCEPT, doubt="map"),), f"{A} {B} uncertain (translation-unclear) mark 0{ROUTED} | translation: rule 1 in nat is not understood: map [r1]"),
        ((), f"{GONE}{ROUTED}{SEALED}"),
    ],
)  # fmt: skip
def test_a_translation_tells_what_it_makes_of_the_packet(rules: tuple[Rule, ...], expected: str) -> None:
    assert out(gateway(chain("nat", *rules, hook=Hook.POSTROUTING))) == expected


def test_of_two_translation_chains_the_first_that_translates_is_all() -> None:
    first, second = rule(1, Action.SOURCE_TO, "10.64.0.77"), rule(2, Action.SOURCE_TO, "10.64.0.78")
    chains = (
        chain("n1", first, hook=Hook.POSTROUTING, priority=5),
        chain("n2", second, hook=Hook.POSTROUTING, priority=9),
    )
    assert out(gateway(*chains)).startswith("10.64.0.77 ")
    kept = replace(chains[0], rules=(rule(1, Action.ACCEPT),))
    assert out(gateway(kept, chains[1])).startswith("10.64.0.78 ")
    dropped = chain("f", rule(3, Action.DROP), hook=Hook.POSTROUTING, priority=1)
    assert out(gateway(dropped, *chains)) == f"{A} {B} dropped (drops) mark 0{ROUTED} | filter: rule 3 drops it [r3]"


def test_only_a_connection_s_first_packet_is_asked_about() -> None:
    hiding = gateway(chain("nat", rule(1, Action.MASQUERADE), hook=Hook.POSTROUTING))
    assert out(hiding, state=State.ESTABLISHED) == f"{GONE}{ROUTED}{SEALED}"


def test_each_family_becomes_an_address_of_its_own() -> None:
    hiding = gateway(chain("nat", rule(1, Action.MASQUERADE), hook=Hook.POSTROUTING), policies=())
    found = outbound(hiding, [Piece(box_of(V4_ALL, V4_ALL)), Piece(box_of(V6_ALL, V6_ALL)), Piece(EVERY)], "lan0")
    now = {(address_text(p.piece.now[0][0]), p.piece.now[1]) for p in found if p.fate.value == "translated"}
    assert {n for n, _ in now} == {"10.64.0.1", "192.0.2.10", "2001:db8::10"}
    size = sum((p.piece.box[0][1] - p.piece.box[0][0] + 1) * (p.piece.box[1][1] - p.piece.box[1][0] + 1) for p in found)
    whole = sum((h[1] - h[0] + 1) ** 2 for h in (V4_ALL, V6_ALL, EVERY[0]))
    assert size == whole


@pytest.mark.parametrize(
    ("via", "dev", "v6", "own"),
    [
        ("192.0.2.1", "wan0", False, "192.0.2.10"),
        ("203.0.113.9", "wan0", False, "203.0.113.1"),
        ("192.0.2.0", "wan0", False, "192.0.2.10"),
        ("192.0.2.255", "wan0", False, "192.0.2.10"),
        ("198.51.100.1", "wan0", False, "203.0.113.1"),
        ("no address", "wan0", False, "203.0.113.1"),
        ("", "wan0", False, "203.0.113.1"),
        ("2001:db8::1", "wan0", True, "2001:db8::10"),
        ("", "ppp9", False, "10.64.0.1"),
        ("", "lan0", True, "2001:db8::10"),
        ("", None, False, "10.64.0.1"),
    ],
)
def test_the_address_that_hides_others(via: str, dev: str | None, v6: bool, own: str) -> None:
    way = Way(Piece(EVERY), dev, via) if dev is not None else None
    here = gateway()
    with_loopback = replace(
        here, addresses={"lo": ((address_number("127.0.0.1"), net("127.0.0.0/8")),), **here.addresses}
    )
    assert address_text(own_address(with_loopback, way, v6)) == own
    nothing = replace(with_loopback, addresses={"lo": with_loopback.addresses["lo"]})
    assert address_text(own_address(nothing, way, v6)) == ("::" if v6 else "0.0.0.0")


@pytest.mark.parametrize(
    ("change", "expected"),
    [
        ({}, f"carried (-) mark 0{ROUTED}{SEALED}"),
        ({"routes": (route("10.96.0.0/20", kind=RouteKind.BLACKHOLE),)}, "no route (route-ends) mark 0 | route: the route ends it: blackhole [to 10.96.0.0/20]"),
        ({"routes": (route("10.96.0.0/20", kind=RouteKind.LOCAL),)}, "gateway's own (for-itself) mark 0 | route: for this machine itself [to 10.96.0.0/20]"),
        ({"routes": (route("10.96.0.0/20", kind=RouteKind.OTHER, text="nat x"),)}, "uncertain (routing-unclear) mark 0 | route: the routing is not understood: the kind of the route nat x [to 10.96.0.0/20]"),
        ({"routes": (route("10.97.0.0/20", "wan0"),)}, "no route (no-route) mark 0 | route: no route [-]"),
        ({"forwarding": False, "forwarding_at": at("sysctl")}, "no route (forwarding-off) mark 0 | route: forwarding is switched off [sysctl]"),
        ({"forwarding_v6": False, "forwarding": True}, f"carried (-) mark 0{ROUTED}{SEALED}"),
        ({"routes": (route("0.0.0.0/0", "lan0", "10.64.0.254"),), "policies": ()}, "unencrypted (no-tunnel-takes-it) mark 0 | route: out of lan0 via 10.64.0.254 [to 0.0.0.0/0] | tunnel: no tunnel takes it, it leaves unencrypted [-]"),
        ({"routes": (route("10.96.0.0/20", "lan0", "10.64.0.254"), ROUTES[1]), "policies": ()}, "looping (turned-back) mark 0 | route: out of lan0 via 10.64.0.254 [to 10.96.0.0/20] | route: turned back out of lan0, where it came in [to 10.96.0.0/20]"),
        ({"routes": (route("10.96.0.0/20", "tun0"),), "tunnel_devs": frozenset(["tun0"])}, "no route (no-selectors-fit) mark 0 | route: out of tun0 [to 10.96.0.0/20] | tunnel: no tunnel's selectors fit it [-]"),
        ({"routes": (route("10.96.0.0/20", "tun0"),), "tunnel_devs": frozenset(["tun0"]), "policies": (replace(POLICY, dev="tun0"),)}, f"carried (-) mark 0 | route: out of tun0 [to 10.96.0.0/20]{SEALED}"),
        ({"routes": (route("10.96.0.0/20", "tun0"),), "tunnel_devs": frozenset(["tun0"]), "policies": (replace(POLICY, dev="tun1"),)}, "no route (no-selectors-fit) mark 0 | route: out of tun0 [to 10.96.0.0/20] | tunnel: no tunnel's selectors fit it [-]"),
        ({"routing_rules": (RoutingRule(9, V4_ALL, V4_ALL, "", at("rule"), end=RouteKind.PROHIBIT),)}, "no route (route-ends) mark 0 | route: the route ends it: prohibit [rule]"),
        ({"routing_rules": (RoutingRule(9, V4_ALL, V4_ALL, "", at("rule"), doubt="uidrange"),)}, "uncertain (routing-unclear) mark 0 | route: the routing is not understood: uidrange [rule]"),
        ({"routing_rules": (RoutingRule(9, V4_ALL, V4_ALL, "main", at("rule"), in_dev="wan0"),)}, "no route (no-route) mark 0 | route: no route [-]"),
        ({"routing_rules": (RoutingRule(9, V4_ALL, V4_ALL, "main", at("rule"), mark=1), RoutingRule(10, V4_ALL, net("10.97.0.0/16"), "main", at("rule")))}, "no route (no-route) mark 0 | route: no route [-]"),
    ],
)  # fmt: skip
def test_the_routing_decision_is_told(change: dict[str, Any], expected: str) -> None:
    assert out(replace(gateway(), **change)) == f"{A} {B} {expected}"


def test_where_the_tunnel_decides_first_nothing_is_translated_that_goes_into_it() -> None:
    tables = gateway(chain("nat", rule(1, Action.MASQUERADE), hook=Hook.POSTROUTING), translation_first=False)
    assert out(tables) == f"{GONE}{ROUTED}{SEALED}"
    assert out(tables, to="198.51.100.7") == f"192.0.2.10 198.51.100.7 translated (translated) mark 0{ROUTED} | " + HIDDEN.format("192.0.2.10")  # fmt: skip
    closed = gateway(chain("f", rule(1, Action.DROP), hook=Hook.POSTROUTING), translation_first=False)
    assert out(closed, to="198.51.100.7") == f"{A} 198.51.100.7 dropped (drops) mark 0{ROUTED} | filter: rule 1 drops it [r1]"  # fmt: skip


def arrived(tables: Tables, source: str = B, to: str = A, policies: tuple[Policy, ...] = (POLICY,)) -> str:
    return "\n".join(told(inbound(tables, [Piece(packet_box(source, to, "tcp/80"))], policies)))


LAN = f"{B} {A} carried (-) mark 0 | route: out of lan0 [to 10.64.0.0/24]"
BY_ROUTE: dict[str, Any] = {"tunnel_devs": frozenset(["tun0", "tun1"]), "policies": (replace(POLICY, dev="tun0"),)}


def test_what_comes_out_of_a_tunnel_is_told() -> None:
    assert arrived(gateway()) == LAN and arrived(gateway(), policies=()) == LAN
    outside = arrived(gateway(), source="10.99.0.1")
    assert (
        outside
        == f"10.99.0.1 {A} dropped (outside-selectors) mark 0 | tunnel: outside the tunnel's selectors at this end [tunnel]"
    )
    dropping = gateway(chain("f", rule(1, Action.DROP, in_zone=Names(frozenset(["tunnel"]))), hook=Hook.FORWARD))
    assert (
        arrived(dropping)
        == f"{B} {A} dropped (drops) mark 0 | route: out of lan0 [to 10.64.0.0/24] | filter: rule 1 drops it [r1]"
    )
    hidden = gateway(chain("nat", rule(1, Action.MASQUERADE), hook=Hook.POSTROUTING))
    assert arrived(hidden) == (
        f"10.64.0.1 {A} carried (translated) mark 0 | route: out of lan0 [to 10.64.0.0/24] | translation: rule 1 makes its source 10.64.0.1 [r1]"
    )
    by_wan = gateway(chain("f", rule(1, Action.DROP, in_dev=Names(frozenset(["wan0"]))), hook=Hook.FORWARD))
    assert "rule 1 drops it" in arrived(by_wan)
    tun = replace(by_wan, **BY_ROUTE, zones={"tun0": "partners"})
    assert arrived(tun, policies=tun.policies) == LAN + " | filter: the end of f lets it pass [f]"
    zoned = gateway(
        chain("f", rule(1, Action.DROP, in_zone=Names(frozenset(["partners"]))), hook=Hook.FORWARD), **BY_ROUTE
    )
    assert "rule 1 drops it" in arrived(replace(zoned, zones={"tun0": "partners"}), policies=zoned.policies)


def test_what_leaves_a_tunnel_s_gateway_by_another_tunnel_or_goes_back() -> None:
    back = gateway(routes=(route("10.64.0.9/32", "tun0"),), **BY_ROUTE)
    assert arrived(back, policies=back.policies) == (
        f"{B} {A} looping (back-into-tunnel) mark 0 | route: out of tun0 [to 10.64.0.9/32] | tunnel: back into the tunnel it came out of [to 10.64.0.9/32]"
    )
    on = gateway(routes=(route("10.64.0.9/32", "tun1"),), **BY_ROUTE)
    assert arrived(on, policies=on.policies) == (
        f"{B} {A} carried (-) mark 0 | route: out of tun1 [to 10.64.0.9/32] | tunnel: into another tunnel [to 10.64.0.9/32]"
    )
    spoke = Policy("Samphire", (net("10.96.0.0/20"),), (net("10.80.0.0/24"),), "", at("spoke"))
    hub = gateway(policies=(POLICY, spoke))
    assert arrived(hub, to="10.80.0.4", policies=()) == (
        f"{B} 10.80.0.4 carried (-) mark 0{ROUTED} | tunnel: into another tunnel, Samphire [to 0.0.0.0/0]"
    )
    assert arrived(hub, to="10.80.0.4", policies=(replace(POLICY, near=(net("10.80.0.0/24"),)), spoke)).startswith(
        f"{B} 10.80.0.4 looping"
    )


def test_a_host_s_own_filter_asks_by_interface_and_state() -> None:
    closed = chain("in", rule(1, Action.ACCEPT, states=frozenset([State.ESTABLISHED])), rule(2, Action.DROP, in_dev=Names(frozenset(["eth0"])), in_zone=Names(frozenset(["dmz"]))), hook=Hook.INPUT)  # fmt: skip
    host = Tables("b", "h", chains={"in": closed}, zones={"eth0": "dmz"})
    box = [Piece(packet_box(A, B, "tcp/80"), tag=3)]
    assert told(accepts(host, box, "eth0")) == [f"{A} {B} dropped (drops) mark 0 | filter: rule 2 drops it [r2]"]
    assert told(accepts(host, box, "eth1")) == [f"{A} {B} carried (-) mark 0 | filter: the end of in lets it pass [in]"]
    assert told(accepts(host, box, "eth0", State.ESTABLISHED)) == [
        f"{A} {B} carried (-) mark 0 | filter: rule 1 lets it pass [r1]"
    ]


def test_a_route_with_two_next_hops_tells_each_one_s_fate() -> None:
    hops = (("tun0", ""), ("wan0", "192.0.2.1"))
    parted = gateway(routes=(route("10.96.0.0/20", "wan1", "198.51.100.1", others=hops),), **BY_ROUTE)
    assert out(parted) == (
        f"{A} {B} uncertain (hops-differ) mark 0 | route: it depends on the next hop taken "
        "(198.51.100.1: no tunnel takes it, it leaves unencrypted; tun0: carried) [to 10.96.0.0/20]"
    )
    alike = gateway(routes=(route("10.96.0.0/20", "wan1", "198.51.100.1", others=hops[1:]),))
    assert out(alike) == f"{GONE} | route: out of wan1 via 198.51.100.1 [to 10.96.0.0/20]{SEALED}"


def test_rules_are_listed_in_the_order_in_which_packets_meet_them() -> None:
    before = chain("pre", rule(1, Action.ACCEPT), hook=Hook.PREROUTING, priority=50)
    late = chain("late", rule(5, Action.ACCEPT), hook=Hook.FORWARD, priority=10)
    first = chain(
        "first",
        rule(2, Action.JUMP, "sub"),
        rule(4, Action.GOTO, "sub"),
        rule(7, Action.JUMP, "none"),
        hook=Hook.FORWARD,
    )
    sub = chain("sub", rule(3, Action.JUMP, "first"))
    tables = gateway(late, first, sub, before, chain("in", rule(8, Action.DROP), hook=Hook.INPUT))
    listed = [(c.name, r.number) for c, r in each_rule(tables, (Hook.FORWARD, Hook.PREROUTING))]
    assert listed == [("pre", 1), ("first", 2), ("sub", 3), ("first", 4), ("first", 7), ("late", 5)]
    shared = first.rules[0]
    longer = chain("longer", rule(0, Action.ACCEPT), *first.rules)
    assert (
        chains_of(gateway(first, longer), shared) == [first, longer]
        and chain_of(gateway(first, longer), shared) is longer
    )
    assert chain_of(gateway(first), rule(2, Action.JUMP, "sub")) is None


def leg_told(leg: Leg) -> str:
    steps = " | ".join(f"{'ab'[at_]} {step_told(s)}" for at_, s in leg.steps)
    return f"{leg.fate.value} at {'ab'[leg.at]}'s {leg.place} ({leg.reason}, {leg.decided}): {steps}"


FAR = Policy("Marram", (net("10.96.0.0/20"),), (net("10.64.0.0/24"),), "", at("tunnel b"))
FAR_ROUTES = (route("10.96.0.0/20", "eth1"), route("0.0.0.0/0", "eth0"))
NEAR_WAY = "a route: out of wan0 via 192.0.2.1 [to 0.0.0.0/0] | a tunnel: into the tunnel Marram [tunnel] | b route: out of eth1 [to 10.96.0.0/20]"


def host(site: str, address: str, *chains: Chain, routes: tuple[Route, ...] = ()) -> Tables:
    own = {"lo": ((address_number(B), (0, 0)),), "eth0": ((address_number(address), net(f"{address}/24")),)}
    return Tables(site, "h", addresses=own, chains={c.name: c for c in chains}, routes=routes)


def sides(near: Tables | None = None, far: Tables | None = None, **hosts: Tables) -> tuple[Side, Side]:
    b = Tables(
        "b",
        routes=FAR_ROUTES,
        policies=(FAR,),
        addresses={"eth1": ((address_number("10.96.0.1"), net("10.96.0.0/20")),)},
    )
    own = {n: {n: h} if (h := hosts.get(n)) else {} for n in "ab"}
    return Side("a", near or gateway(), own["a"], POLICY, POLICY.near), Side("b", far or b, own["b"], FAR, FAR.near)


@pytest.mark.parametrize(
    ("made", "expected"),
    [
        (sides(), f"carried at b's host (None, 2): {NEAR_WAY}"),
        (sides(a=host("a", A)), "no route at a's host (host-no-route, 0): a host: the host has no route there [-]"),
        (sides(a=host("a", A, routes=(route("10.96.0.0/16", kind=RouteKind.UNREACHABLE),))), "no route at a's host (host-route-ends, 0): a host: the host's route ends it: unreachable [to 10.96.0.0/16]"),
        (sides(a=host("a", A, routes=(route("10.96.0.0/16", "eth0", "10.64.0.2"),))), "no route at a's host (host-sends-elsewhere, 0): a host: the host sends it to 10.64.0.2, which is not the gateway [to 10.96.0.0/16]"),
        (sides(a=host("a", A, routes=(route("10.96.0.0/16", "eth0", "10.64.0.1"),))), f"carried at b's host (None, 2): {NEAR_WAY}"),
        (sides(b=host("b", B, chain("in", rule(1, Action.DROP, in_dev=Names(frozenset(["eth0"]))), hook=Hook.INPUT))), f"dropped at b's host (drops, 3): {NEAR_WAY} | b host filter: rule 1 drops it [r1]"),
        (sides(b=host("b", B, chain("in", rule(1, Action.ACCEPT), hook=Hook.INPUT))), f"carried at b's host (None, 3): {NEAR_WAY} | b host filter: rule 1 lets it pass [r1]"),
        (sides(b=host("b", "10.96.1.6", chain("in", rule(1, Action.DROP), hook=Hook.INPUT))), f"carried at b's host (None, 2): {NEAR_WAY}"),
        (sides(gateway(policies=(replace(POLICY, tunnel="Samphire", near=(V4_ALL,)),))), "unencrypted at a's gateway (into-other-tunnel, 0): a route: out of wan0 via 192.0.2.1 [to 0.0.0.0/0] | a tunnel: into the tunnel Samphire [tunnel] | a tunnel: into another tunnel, Samphire [-]"),
        (sides(gateway(policies=())), "unencrypted at a's gateway (no-tunnel-takes-it, 0): a route: out of wan0 via 192.0.2.1 [to 0.0.0.0/0] | a tunnel: no tunnel takes it, it leaves unencrypted [-]"),
        (sides(far=Tables("b", routes=FAR_ROUTES[1:], policies=(FAR,))), f"carried at b's host (None, 2): {NEAR_WAY.replace('eth1', 'eth0').replace('10.96.0.0/20', '0.0.0.0/0')}"),
        (sides(far=Tables("b", policies=(FAR,))), f"no route at b's gateway (no-route, 2): {NEAR_WAY.partition(' | b')[0]} | b route: no route [-]"),
    ],
)  # fmt: skip
def test_the_whole_way_is_told(made: tuple[Side, Side], expected: str) -> None:
    (leg,) = travel(*made, [packet_box(A, B, "tcp/80")])
    assert leg_told(leg) == expected


def test_an_end_without_tables_is_passed_by() -> None:
    near, far = sides()
    box = [packet_box(A, B, "tcp/80")]
    (leg,) = travel(near, replace(far, gateway=None), box)
    assert leg_told(leg) == f"carried at b's gateway (None, 1): {NEAR_WAY.partition(' | b')[0]}"
    (leg,) = travel(replace(near, gateway=None), far, box)
    assert leg_told(leg) == f"carried at b's host (None, 0): {NEAR_WAY.rpartition(' | ')[2]}"
    assert far.host_at(address_number(B)) is None
    with_host = replace(far, hosts={"h": host("b", "10.96.1.6")})
    assert with_host.host_at(address_number("10.96.1.6")) is with_host.hosts["h"]


def test_an_answer_undoes_what_its_question_met() -> None:
    """Hidden at the sender, sent on at the receiver: the answer goes back to the first addresses, and no rule is asked again."""
    near = gateway(chain("nat", rule(1, Action.SOURCE_TO, "10.64.0.77"), hook=Hook.POSTROUTING))
    sent_on = chain("pre", rule(2, Action.DESTINATION_TO, "10.96.1.7"), hook=Hook.PREROUTING)
    made = sides(near)
    assert made[1].gateway is not None
    far = replace(made[1], gateway=replace(made[1].gateway, chains={"pre": sent_on}))
    trip = round_trip(made[0], far, packet_box(A, B, "tcp/80"))
    assert trip.works and trip.broken is None and trip.on_the_way_back and trip.back is not None
    assert trip.there.passage is not None and trip.back.passage is not None
    now = [[address_text(low) for low, _ in p.piece.now[:2]] for p in (trip.there.passage, trip.back.passage)]
    assert now == [["10.64.0.77", "10.96.1.7"], [B, A]]
    assert all(s.rule is None for _, s in trip.back.steps)


def test_a_trip_tells_the_leg_that_fails() -> None:
    near, far = sides(gateway(policies=()))
    trip = round_trip(near, far, packet_box(A, B, "tcp/80"))
    assert not trip.works and trip.broken is trip.there and not trip.on_the_way_back and trip.back is None
    near, far = sides(far=Tables("b", routes=FAR_ROUTES[:1], policies=(FAR,)))
    trip = round_trip(near, far, packet_box(A, B, "tcp/80"))
    assert not trip.works and trip.broken is trip.back and trip.on_the_way_back


@pytest.mark.parametrize(
    ("service", "v6", "numbers"),
    [
        ("tcp/443", False, (6, 49152, 443)),
        ("udp/53", False, (17, 49152, 53)),
        ("tcp", False, (6, 49152, 0)),
        ("any", False, (6, 49152, 0)),
        ("icmp", False, (1, 0, 8)),
        ("ping", False, (1, 0, 8)),
        ("icmp", True, (58, 0, 128)),
        ("ping", True, (58, 0, 128)),
        ("icmp/3", False, (1, 0, 3)),
        ("50", False, (50, 49152, 0)),
    ],
)
def test_a_service_is_one_packet(service: str, v6: bool, numbers: tuple[int, int, int]) -> None:
    pair = ("fd00:a::9", "fd00:b::5") if v6 else (A, B)
    box = packet_box(*pair, service)
    assert all(low == high for low, high in box)
    assert tuple(low for low, _ in box) == (*map(address_number, pair), *numbers)


def test_all_packets_by_their_fate_largest_first() -> None:
    closed = rule(1, Action.DROP, packets=box_of(protocol=(6, 6), port=(0, 9)))
    open_ = rule(2, Action.REJECT, packets=box_of(protocol=(6, 6), port=(10, 10)))
    near, far = sides(gateway(chain("f", closed, open_, hook=Hook.FORWARD)))
    near = replace(near, lans=(net("10.64.0.0/24"), net("10.96.0.0/24")))
    shares = partition(near, far)
    lan = [s for s in shares if s.region.boxes[0][0][0] == address_number("10.64.0.0")]
    assert [(s.fate.value, s.at, s.place, s.rule and s.rule.number, s.says, s.where and s.where.file) for s in lan] == [
        ("carried", 1, "host", None, "", "to 10.96.0.0/20"),
        ("dropped", 0, "gateway", 1, "rule 1 drops it", "r1"),
        ("dropped", 0, "gateway", 2, "rule 2 rejects it", "r2"),
    ]
    # What of the far range lies at home never comes to the gateway.
    assert all(b[1][0] >= address_number("10.96.1.0") for s in shares for b in s.region.boxes)


def test_a_packet_that_has_the_new_address_already_is_told_apart_from_those_that_change() -> None:
    sent_on = chain("pre", rule(1, Action.DESTINATION_TO, "10.97.0.9"), hook=Hook.PREROUTING)
    whole = box_of(interval_of(f"{A}/32")[0], net("10.97.0.0/28"), (6, 6), (80, 80))
    found = outbound(gateway(sent_on, policies=()), [Piece(whole)], "lan0")
    fates = {
        (p.fate.value, p.piece.box[1][1] - p.piece.box[1][0] + 1)
        for p in found
        if p.piece.box[1][0] != p.piece.box[1][1]
    }
    alone = [p for p in found if p.piece.box[1] == (address_number("10.97.0.9"),) * 2]
    assert [p.fate.value for p in alone] == ["unencrypted"] and {f for f, _ in fates} == {"translated"}
    assert sum(p.piece.box[1][1] - p.piece.box[1][0] + 1 for p in found) == 16
