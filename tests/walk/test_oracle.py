"""The walk of sets against one packet at a time: random gateways, hosts and packets, said in the system's own JSON and read by the readers.

The second implementation is plain.py. What is compared: the fate of a packet by itself, the share of all packets that holds it, the
packet as it arrives, and its answer's way back.
"""

from __future__ import annotations

import json
import os
from dataclasses import replace
from ipaddress import ip_address, ip_network

from hypothesis import given, settings
from hypothesis import strategies as st
from plain import (
    ECHO,
    Connection,
    Machine,
    Match,
    Packet,
    PlainChain,
    PlainRoute,
    PlainRoutingRule,
    PlainRule,
    addr_json,
    host_takes,
    nft_objects,
    route,
    routes_json,
    rules_json,
    through,
)

from stomion.ingest.ostables import read_table
from stomion.model.box import Box
from stomion.model.provenance import Provenance
from stomion.model.tables import Policy, Tables
from stomion.space.axis import address_text, interval_of
from stomion.walk.journey import Side, partition, round_trip, travel
from stomion.walk.passage import Fate

EXAMPLES = int(os.environ.get("STOMION_EXAMPLES", "400"))
"""Random networks of one test; `make fuzz` takes many more."""
LAN = {("a", 4): "10.64.0.0/28", ("b", 4): "10.96.0.0/28", ("a", 6): "fd00:a::/124", ("b", 6): "fd00:b::/124"}
GATE = {("a", 4): "10.64.0.1", ("b", 4): "10.96.0.1", ("a", 6): "fd00:a::1", ("b", 6): "fd00:b::1"}
WAN = {"a": ("192.0.2.10/24", "2001:db8:1::10/64"), "b": ("198.51.100.34/24", "2001:db8:2::34/64")}
ROUTER = {"a": ("192.0.2.1", "2001:db8:1::1"), "b": ("198.51.100.1", "2001:db8:2::1")}
NEXT = {4: 0, 6: 1}


def nets(version: int) -> list[str]:
    """Networks that rules and routes speak of: the LANs, parts of them, single hosts, everything."""
    a, b = LAN["a", version], LAN["b", version]
    bits = 28 if version == 4 else 124
    parts = [str(n) for lan in (a, b) for n in ip_network(lan).subnets(new_prefix=bits + 2)][::3]
    hosts = [f"{ip_network(lan)[5]}/{32 if version == 4 else 128}" for lan in (a, b)]
    return [a, b, *parts, *hosts, "0.0.0.0/0" if version == 4 else "::/0"]


VERSION = st.sampled_from([4, 4, 6])
DEVS = ["lan0", "wan0", "tun0", "wan1"]


@st.composite
def matches(draw: st.DrawFn, point: str, nat: bool = False) -> Match:
    version = draw(VERSION)
    service = draw(st.sampled_from(["", "", "tcp", "udp", "icmp"])) if not nat or draw(st.integers(0, 3)) == 0 else ""
    ports: tuple[tuple[int, int], ...] = ()
    if service in ("tcp", "udp") and draw(st.booleans()):
        ports = draw(st.sampled_from([((80, 80),), ((20, 90),), ((22, 22), (443, 450))]))
    if service == "icmp" and draw(st.booleans()):
        ports = draw(st.sampled_from([((ECHO[version][0],) * 2,), ((ECHO[version][1],) * 2,)]))
    wide = ["", nets(version)[0], nets(version)[1], nets(version)[-1]]
    source, destination = (draw(st.sampled_from(wide if draw(st.booleans()) else nets(version))) for _ in range(2))
    if (nat or service == "icmp") and not (source or destination):
        source = nets(version)[-1]
    return Match(
        source, destination, service, ports,
        draw(st.sampled_from(["", "", "", "", "lan0", "tun0"])),
        draw(st.sampled_from(["", "", "", "", *DEVS[:3]])) if point in ("forward", "postrouting") else "",
        draw(st.sampled_from([(), (), (), ("new",), ("established", "related")])) if point != "prerouting" and not nat else (),
        draw(st.sampled_from([None] * 6 + [1, 2])),
        bool(source) and draw(st.integers(0, 5)) == 0, bool(source) and draw(st.integers(0, 5)) == 0,
    )  # fmt: skip


@st.composite
def rules(draw: st.DrawFn, point: str, kind: str, targets: tuple[str, ...]) -> PlainRule:
    match = draw(matches(point, kind == "nat"))
    actions = ["accept", "accept", "return", "continue"]
    if kind == "filter":
        actions += ["drop", "drop", "mark", *(["reject"] if point == "forward" else [])]
    if targets:
        actions += ["jump", "jump", "goto"]
    if kind == "nat":
        actions += ["snat", "masquerade"] * 3 if point == "postrouting" else ["dnat"] * 6
    action = draw(st.sampled_from(actions))
    version = 6 if ":" in match.source or ":" in match.destination else 4
    to = ""
    if action == "mark":
        to = draw(st.sampled_from(["1", "2", "3"]))
    elif action in ("jump", "goto"):
        to = draw(st.sampled_from(targets))
    elif action == "snat":
        to = draw(st.sampled_from(["192.0.2.10", "10.64.0.1"] if version == 4 else ["2001:db8:1::10", "fd00:a::1"]))
    elif action == "dnat":
        to = str(ip_network(LAN["b", version])[draw(st.integers(2, 8))])
    return PlainRule(match, action, to)


@st.composite
def chains(draw: st.DrawFn) -> tuple[PlainChain, ...]:
    """Base chains of every kind and, for filters, chains that are jumped to; a jump leads to a later chain only."""
    out: list[PlainChain] = []

    def some(point: str, kind: str, targets: tuple[str, ...] = (), most: int = 4) -> tuple[PlainRule, ...]:
        return tuple(draw(st.lists(rules(point, kind, targets), min_size=int(kind == "nat"), max_size=most)))

    if draw(st.booleans()):
        policy = draw(st.sampled_from(["accept", "accept", "drop"]))
        out.append(PlainChain("fwd", some("forward", "filter", ("one", "two"), 5), "filter", "forward", 0, policy))
        out.append(PlainChain("one", some("forward", "filter", ("two",), 3)))
        out.append(PlainChain("two", some("forward", "filter", (), 3)))
        if draw(st.integers(0, 3)) == 0:
            out.append(PlainChain("fwd2", some("forward", "filter"), "filter", "forward", 10, "accept"))
    if draw(st.booleans()):
        priority = draw(st.sampled_from([-150, -50]))
        out.append(PlainChain("pre", some("prerouting", "filter"), "filter", "prerouting", priority))
    if draw(st.integers(0, 2)) == 0:
        out.append(PlainChain("dst", some("prerouting", "nat"), "nat", "prerouting", -100))
    if draw(st.booleans()):
        out.append(PlainChain("src", some("postrouting", "nat"), "nat", "postrouting", 100))
        if draw(st.integers(0, 2)) == 0:
            out.append(PlainChain("src2", some("postrouting", "nat"), "nat", "postrouting", 110))
    if draw(st.integers(0, 3)) == 0:
        priority = draw(st.sampled_from([50, 150]))
        out.append(PlainChain("post", some("postrouting", "filter"), "filter", "postrouting", priority))
    return tuple(out)


@st.composite
def routes(draw: st.DrawFn, site: str, version: int, multipath: bool = True) -> PlainRoute:
    router = ROUTER[site][NEXT[version]]
    other = {4: "203.0.113.1", 6: "2001:db8:3::1"}[version]
    inner = str(ip_network(LAN[site, version])[14])
    choices = [("tun0", ""), ("wan0", router), ("lan0", inner)]
    kind = draw(st.sampled_from(["unicast"] * 6 + ["blackhole", "unreachable", "throw"]))
    hops: tuple[tuple[str, str], ...] = ()
    if kind == "unicast":
        hops = (draw(st.sampled_from(choices)),)
        if multipath and draw(st.integers(0, 3)) == 0:
            second = ("tun0", "") if version == 4 and draw(st.booleans()) else ("wan1", other)
            hops = (("wan0", router), second)
    table = draw(st.sampled_from(["main", "main", "100"]))
    metric = draw(st.sampled_from([0, 10, 20])) if version == 4 else draw(st.sampled_from([1024, 10, 20]))
    return PlainRoute(draw(st.sampled_from(nets(version))), hops, metric, table, kind)


@st.composite
def routing(draw: st.DrawFn, site: str) -> PlainRoutingRule:
    version = draw(VERSION)
    mark = draw(st.sampled_from([None, None, 1, 2, 3]))
    mask = draw(st.sampled_from([0xFFFFFFFF, 0x2, 0x1]))
    action = draw(st.sampled_from(["", "", "", "blackhole"]))
    source = draw(st.sampled_from(["", *nets(version)[:-1]]))
    priority = draw(st.integers(100, 104))
    return PlainRoutingRule(
        priority, "" if action else draw(st.sampled_from(["100", "main"])), source, mark, mask, action, version
    )


@st.composite
def gateways(draw: st.DrawFn, site: str, multipath: bool = True, by_route: bool | None = None) -> Machine:
    by_route = draw(st.booleans()) if by_route is None else by_route
    lan = tuple(f"{GATE[site, v]}/{28 if v == 4 else 124}" for v in (4, 6))
    addresses = {"lan0": lan, "wan0": WAN[site], "wan1": ("203.0.113.9/24", "2001:db8:3::9/64")}
    if by_route:
        addresses["tun0"] = (
            ("169.254.77.1/30", "fd00:77::1/64") if site == "a" else ("169.254.77.2/30", "fd00:77::2/64")
        )
    found: dict[tuple[str, str, int], PlainRoute] = {}
    for version in (4, 6):
        net = "0.0.0.0/0" if version == 4 else "::/0"
        first = PlainRoute(net, (("wan0", ROUTER[site][NEXT[version]]),), 0 if version == 4 else 1024)
        more = draw(st.lists(routes(site, version, multipath), max_size=3))
        if by_route and draw(st.integers(0, 4)):
            far = LAN["b" if site == "a" else "a", version]
            more.append(PlainRoute(far, (("tun0", ""),), 0 if version == 4 else 1024))
        for r in [*([first] if draw(st.integers(0, 5)) else []), *more]:
            own = (r.destination, r.metric) == (LAN[site, 4], 0)
            if not own and (by_route or all(dev != "tun0" for dev, _ in r.hops)):
                found.setdefault((r.destination, r.table, r.metric), r)
    rules_ = draw(st.lists(routing(site), max_size=2, unique_by=lambda r: (r.priority, r.version)))
    return Machine(
        addresses, tuple(found.values()), tuple(rules_), draw(chains()), draw(st.integers(0, 19)) < 19, "tun0" if by_route else ""
    )  # fmt: skip


@st.composite
def hosts(draw: st.DrawFn, site: str) -> Machine:
    addresses = {"eth0": tuple(f"{ip_network(LAN[site, v])[5]}/{28 if v == 4 else 124}" for v in (4, 6))}
    gate = [(GATE[site, v], "0.0.0.0/0" if v == 4 else "::/0") for v in (4, 6)]
    table = tuple(PlainRoute(net, (("eth0", via),), 0) for via, net in gate if draw(st.integers(0, 4)))
    inputs = draw(st.lists(rules("forward", "filter", ()), max_size=2))
    chain = PlainChain("in", tuple(r for r in inputs if not (r.match.in_dev or r.match.out_dev)), "filter", "input")
    return Machine(addresses, table, (), (chain,) if draw(st.booleans()) else ())


@st.composite
def packets(draw: st.DrawFn) -> Packet:
    version = draw(VERSION)
    service = draw(st.sampled_from(["tcp", "udp", "icmp"]))
    source, destination = (ip_network(LAN[s, version])[draw(st.integers(2, 14))] for s in ("a", "b"))
    if service == "icmp":
        return Packet(source, destination, service, 0, ECHO[version][0])
    return Packet(source, destination, service, 49152, draw(st.sampled_from([22, 53, 80, 443])))


HERE = Provenance("tables.json")


def tables_of(m: Machine, site: str, host: str = "") -> Tables:
    """A machine's tables as the program reads them."""
    tables = Tables(site, host)
    tables = read_table("addresses", addr_json(m).encode(), "addr.json", tables)
    tables = read_table("routes", routes_json(m).encode(), "route.json", tables)
    for version in (4, 6):
        tables = read_table("rules", rules_json(m, version).encode(), f"rule{version}.json", tables)
    tables = read_table("filter rules", json.dumps({"nftables": nft_objects(m)}).encode(), "nft.json", tables)
    switch = int(m.forwarding)
    text = f"net.ipv4.ip_forward = {switch}\nnet.ipv6.conf.all.forwarding = {switch}\n"
    tables = read_table("forwarding", text.encode(), "forwarding", tables)
    assert not tables.doubts
    return tables


def side_of(m: Machine, host: Machine, site: str) -> Side:
    tables = tables_of(m, site)
    other = "b" if site == "a" else "a"
    near, far = (tuple(interval_of(LAN[s, v])[0] for v in (4, 6)) for s in (site, other))
    if m.tunnel:
        policy = Policy("t", tuple(interval_of("any")), tuple(interval_of("any")), "tun0", HERE)
    else:
        policy = Policy("t", near, far, "", HERE)
    return Side(site, replace(tables, policies=(policy,)), {"h": tables_of(host, site, "h")}, policy, near)


def box_of(p: Packet) -> Box:
    numbers = {"tcp": 6, "udp": 17, "icmp": 1 if p.version == 4 else 58}
    values = (*(interval_of(str(a))[0][0] for a in (p.source, p.destination)), numbers[p.service], p.sport, p.port)
    return tuple((v, v) for v in values)


def _lan(site: str, address: object) -> bool:
    return any(ip_address(str(address)) in ip_network(LAN[site, v]) for v in (4, 6))


def leaving(m: Machine, site: str, p: Packet, state: str, conn: Connection) -> tuple[str, Packet, Connection]:
    """Out of the LAN at one gateway: (`sealed` or how it ended, the packet then, what is remembered). Next hops that differ: uncertain."""
    found = []
    other = "b" if site == "a" else "a"
    before = (p.source, p.destination)
    for dev, q, _, mine in through(m, p, "lan0", state, conn):
        changed = (q.source, q.destination) != before
        fits = bool(m.tunnel) or (_lan(site, q.source) and _lan(other, q.destination))
        if dev.startswith("!"):
            found.append((dev[1:], q, mine))
        elif (dev == m.tunnel) if m.tunnel else fits:
            found.append(("sealed", q, mine))
        elif changed:
            found.append(("translated", q, mine))
        else:
            found.append(("looping" if dev == "lan0" != _wan(m) else "unencrypted", q, mine))
    return _one(found)


def _wan(m: Machine) -> str:
    """The interface of the first default route, as the program takes it for the outer one."""
    return next(
        (r.hops[0][0] for r in m.routes if ip_network(r.destination).prefixlen == 0 and r.hops and r.kind == "unicast"),
        "",
    )


def _one(found: list[tuple[str, Packet, Connection]]) -> tuple[str, Packet, Connection]:
    def key(x: tuple[str, Packet, Connection]) -> tuple[object, ...]:
        where = (x[1].source, x[1].destination) if x[0] in ("sealed", "carried", "translated") else ()
        return (x[0], *where)

    return found[0] if len({key(f) for f in found}) == 1 else ("uncertain", found[0][1], found[0][2])


def arriving(m: Machine, site: str, p: Packet, state: str, conn: Connection) -> tuple[str, Packet, Connection]:
    """Out of the tunnel at one gateway: `carried` to its LAN, or how it ended."""
    other = "b" if site == "a" else "a"
    if not m.tunnel and not (_lan(other, p.source) and _lan(site, p.destination)):
        return "dropped", p, conn
    in_dev = m.tunnel or _wan(m)
    found = []
    for dev, q, _, mine in through(m, p, in_dev, state, conn):
        if dev.startswith("!"):
            found.append((dev[1:], q, mine))
        elif dev == m.tunnel:
            found.append(("looping", q, mine))
        else:
            found.append(("carried", q, mine))
    return _one(found)


def journey(
    ms: dict[str, Machine],
    hs: dict[str, Machine],
    p: Packet,
    sender: str,
    state: str,
    conns: dict[str, Connection],
) -> tuple[str, Packet, dict[str, Connection]]:
    """The whole way from one LAN to the other."""
    receiver = "b" if sender == "a" else "a"
    if hs[sender].own(p.source):
        try:
            hops = route(hs[sender], p)
        except Exception as end:
            return str(end), p, conns
        if hops[0][1] and not ms[sender].own(ip_address(hops[0][1])):
            return "no route", p, conns
    fate, p, mine = leaving(ms[sender], sender, p, state, conns[sender])
    conns = {**conns, sender: mine}
    if fate != "sealed":
        return fate, p, conns
    fate, p, theirs = arriving(ms[receiver], receiver, replace(p, mark=0), state, conns[receiver])
    conns = {**conns, receiver: theirs}
    if (
        fate == "carried"
        and hs[receiver].own(p.destination)
        and not host_takes(hs[receiver], replace(p, mark=0), state)
    ):
        return "dropped", p, conns
    return fate, p, conns


@settings(max_examples=EXAMPLES)
@given(gateways("a"), gateways("b"), hosts("a"), hosts("b"), st.lists(packets(), min_size=4, max_size=8))
def test_a_packet_there_and_back_fares_as_a_plain_reading_says(
    a: Machine, b: Machine, ha: Machine, hb: Machine, some: list[Packet]
) -> None:
    near, far = side_of(a, ha, "a"), side_of(b, hb, "b")
    ms, hs = {"a": a, "b": b}, {"a": ha, "b": hb}
    for p in some:
        fate, q, conns = journey(ms, hs, p, "a", "new", {"a": Connection(), "b": Connection()})
        trip = round_trip(near, far, box_of(p))
        assert trip.there.fate.value == fate, (p, trip.there.says)
        if fate != "carried":
            assert trip.back is None
            continue
        assert trip.there.passage is not None and trip.back is not None
        now = trip.there.passage.piece.now
        assert [address_text(now[axis][0]) for axis in (0, 1)] == [str(q.source), str(q.destination)]
        answer = Packet(q.destination, q.source, q.service, q.port, q.sport)
        if q.service == "icmp":
            answer = replace(answer, sport=0, port=ECHO[q.version][1])
        back, r, _ = journey(ms, hs, answer, "b", "established", conns)
        assert trip.back.fate.value == back, (answer, trip.back.says)
        if back == "carried":
            assert (r.source, r.destination) == (p.destination, p.source)


@settings(max_examples=EXAMPLES // 2)
@given(gateways("a"), gateways("b"), hosts("a"), hosts("b"), st.lists(packets(), min_size=6, max_size=12))
def test_the_partition_holds_every_packet_once_with_its_own_fate(
    a: Machine, b: Machine, ha: Machine, hb: Machine, some: list[Packet]
) -> None:
    near, far = side_of(a, ha, "a"), side_of(b, hb, "b")
    shares = partition(near, far)
    for p in some:
        point = tuple(low for low, _ in box_of(p))
        (share,) = [s for s in shares if point in s.region]
        (leg,) = travel(near, far, [box_of(p)])
        assert share.fate is leg.fate and (share.fate is Fate.CARRIED or share.sample.reason is leg.reason)
