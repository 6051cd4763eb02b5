"""One packet at a time through gateways and hosts: the second, plain reading of the same tables that the walk of sets is held against.

Nothing of the program's own arithmetic is used here: addresses are ipaddress objects, a packet is one packet, and a list of rules is
gone through from the top. A machine can be said in the operating system's own JSON, for the program's readers and for a real kernel.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from ipaddress import IPv4Address, IPv4Network, IPv6Address, IPv6Network, ip_address, ip_network
from typing import Any

Address = IPv4Address | IPv6Address
Network = IPv4Network | IPv6Network
ICMP = {4: 1, 6: 58}
ECHO = {4: (8, 0), 6: (128, 129)}
NUMBERS = {"tcp": 6, "udp": 17}


@dataclass(frozen=True)
class Packet:
    """`port` is the ICMP type where the service is icmp."""

    source: Address
    destination: Address
    service: str
    sport: int
    port: int
    mark: int = 0

    @property
    def version(self) -> int:
        return self.destination.version


@dataclass(frozen=True)
class Match:
    """What a rule asks for; what is None or empty is not asked. `negated` turns the source's network round."""

    source: str = ""
    destination: str = ""
    service: str = ""
    ports: tuple[tuple[int, int], ...] = ()
    in_dev: str = ""
    out_dev: str = ""
    states: tuple[str, ...] = ()
    mark: int | None = None
    negated: bool = False
    listed: bool = False
    """The networks are said as a set with another one that nothing has."""

    def fits(self, p: Packet, in_dev: str, out_dev: str, state: str) -> bool:
        for text, value, turned in ((self.source, p.source, self.negated), (self.destination, p.destination, False)):
            if text and (ip_network(text).version != p.version or (value in ip_network(text)) is turned):
                return False
        if self.service and self.service != p.service:
            return False
        if self.ports and not any(low <= p.port <= high for low, high in self.ports):
            return False
        if (self.in_dev and self.in_dev != in_dev) or (self.out_dev and self.out_dev != out_dev):
            return False
        return (not self.states or state in self.states) and (self.mark is None or self.mark == p.mark)


@dataclass(frozen=True)
class PlainRule:
    match: Match
    action: str
    to: str = ""


@dataclass(frozen=True)
class PlainChain:
    name: str
    rules: tuple[PlainRule, ...]
    kind: str = ""
    hook: str = ""
    priority: int = 0
    policy: str = "accept"


@dataclass(frozen=True)
class PlainRoute:
    """`hops` are (dev, via); several share the traffic."""

    destination: str
    hops: tuple[tuple[str, str], ...] = ()
    metric: int = 0
    table: str = "main"
    kind: str = "unicast"


@dataclass(frozen=True)
class PlainRoutingRule:
    priority: int
    table: str = ""
    source: str = ""
    mark: int | None = None
    mask: int = 0xFFFFFFFF
    action: str = ""
    version: int = 4


@dataclass(frozen=True)
class Machine:
    """Interfaces with their addresses (`10.64.0.1/28`), and the tables; `tunnel` is the interface of a tunnel by routes, if it has one."""

    addresses: dict[str, tuple[str, ...]]
    routes: tuple[PlainRoute, ...] = ()
    routing: tuple[PlainRoutingRule, ...] = ()
    chains: tuple[PlainChain, ...] = ()
    forwarding: bool = True
    tunnel: str = ""

    def chain(self, name: str) -> PlainChain:
        return next(c for c in self.chains if c.name == name)

    def own(self, address: Address) -> bool:
        return any(ip_address(a.partition("/")[0]) == address for found in self.addresses.values() for a in found)


@dataclass
class Connection:
    """What a gateway remembers of a connection's first packet: the source and the destination it gave it."""

    source: tuple[Address, Address] | None = None
    destination: tuple[Address, Address] | None = None


class Ended(Exception):
    """The packet's way ends; the argument is how."""


def chain_verdict(m: Machine, chain: PlainChain, p: Packet, ctx: tuple[str, str, str]) -> tuple[str, str, Packet]:
    """(verdict or empty, its target, the packet with its mark) of one chain; empty where the packet comes out at the end."""
    for rule in chain.rules:
        if not rule.match.fits(p, *ctx):
            continue
        if rule.action == "mark":
            p = replace(p, mark=int(rule.to))
        elif rule.action in ("jump", "goto"):
            verdict, to, p = chain_verdict(m, m.chain(rule.to), p, ctx)
            if verdict or rule.action == "goto":
                return verdict, to, p
        elif rule.action == "return":
            return "", "", p
        elif rule.action != "continue":
            return rule.action, rule.to, p
    return "", "", p


def hook(m: Machine, name: str, p: Packet, ctx: tuple[str, str, str], conn: Connection, via: str = "") -> Packet:
    """All base chains of a hook in the order of their priorities. Raises Ended where one drops the packet."""
    for chain in sorted((c for c in m.chains if c.hook == name), key=lambda c: c.priority):
        side = "destination" if name == "prerouting" else "source"
        if chain.kind == "nat" and (ctx[2] != "new" or getattr(conn, side) is not None):
            continue
        verdict, to, p = chain_verdict(m, chain, p, ctx)
        verdict = verdict or chain.policy
        if verdict in ("drop", "reject"):
            raise Ended("dropped")
        if verdict in ("snat", "dnat", "masquerade"):
            before = getattr(p, side)
            value = ip_address(to) if to else masqueraded(m, ctx[1], via, p.version)
            setattr(conn, side, (before, value))
            p = replace(p, **{side: value})
    return p


def masqueraded(m: Machine, dev: str, via: str, version: int) -> Address:
    """The address of the outgoing interface in the next hop's network, else its first one, else the first of another interface."""

    def known(found: tuple[str, ...]) -> list[str]:
        return [a for a in found if ip_address(a.partition("/")[0]).version == version]

    mine = known(m.addresses.get(dev, ()))
    near = [a for a in mine if via and ip_address(via) in ip_network(a, strict=False)]
    others = [a for found in m.addresses.values() for a in known(found)]
    return ip_address((near or mine or others)[0].partition("/")[0])


def table_of(m: Machine, name: str) -> list[PlainRoute]:
    found = [r for r in m.routes if r.table == name]
    for dev, addresses in m.addresses.items():
        for text in addresses:
            if name == "main":
                found.append(PlainRoute(str(ip_network(text, strict=False)), ((dev, ""),), 256 if ":" in text else 0))
            elif name == "local":
                found.append(PlainRoute(str(ip_network(text.partition("/")[0])), ((dev, ""),), kind="local"))
    return found


def routing_rules(m: Machine, version: int) -> list[PlainRoutingRule]:
    always = [PlainRoutingRule(0, "local"), PlainRoutingRule(32766, "main"), PlainRoutingRule(32767, "default")]
    mine = [r for r in m.routing if r.version == version]
    return sorted([*mine, *always[: 3 if version == 4 else 2]], key=lambda r: r.priority)


def route(m: Machine, p: Packet) -> tuple[tuple[str, str], ...]:
    """The next hops of a packet. Raises Ended where it goes nowhere on."""
    for rule in routing_rules(m, p.version):
        if rule.source and p.source not in ip_network(rule.source):
            continue
        if rule.mark is not None and (p.mark & rule.mask) != (rule.mark & rule.mask):
            continue
        if rule.action:
            raise Ended("no route")
        fits = [r for r in table_of(m, rule.table) if p.destination in ip_network(r.destination)]
        if not fits:
            continue
        best = min(fits, key=lambda r: (-ip_network(r.destination).prefixlen, r.metric))
        if best.kind == "throw":
            continue
        if best.kind == "local":
            raise Ended("gateway's own")
        if best.kind != "unicast":
            raise Ended("no route")
        return best.hops
    raise Ended("no route")


def through(
    m: Machine, p: Packet, in_dev: str, state: str, conn: Connection
) -> list[tuple[str, Packet, str, Connection]]:
    """One machine's forwarding: for every next hop (interface or how it ended, the packet then, the next hop, what is remembered)."""
    if state == "established" and conn.source is not None:
        p = replace(p, destination=conn.source[0])
    try:
        p = hook(m, "prerouting", p, (in_dev, "", state), conn)
        hops = route(m, p)
        if not m.forwarding:
            raise Ended("no route")
    except Ended as end:
        return [(f"!{end}", p, "", conn)]
    out = []
    for dev, via in hops:
        mine = replace_connection(conn)
        try:
            q = hook(m, "forward", p, (in_dev, dev, state), mine)
            if state == "established" and mine.destination is not None:
                q = replace(q, source=mine.destination[0])
            q = hook(m, "postrouting", q, (in_dev, dev, state), mine, via)
            out.append((dev, q, via, mine))
        except Ended as end:
            out.append((f"!{end}", p, via, mine))
    return out


def replace_connection(conn: Connection) -> Connection:
    return Connection(conn.source, conn.destination)


def host_takes(m: Machine, p: Packet, state: str) -> bool:
    """Does a host's own input filter let a packet in?"""
    try:
        hook(m, "input", p, ("eth0", "", state), Connection())
    except Ended:
        return False
    return True


def addr_json(m: Machine) -> str:
    """`ip -j addr`."""
    rows = []
    for dev, addresses in m.addresses.items():
        info = []
        for address, _, length in (a.partition("/") for a in addresses):
            family = "inet6" if ":" in address else "inet"
            info.append({"family": family, "local": address, "prefixlen": int(length), "scope": "global"})
        flags = ["POINTOPOINT", "UP"] if dev == m.tunnel else ["UP"]
        rows.append(
            {"ifname": dev, "flags": flags, "link_type": "none" if dev == m.tunnel else "ether", "addr_info": info}
        )
    return json.dumps(rows)


def _dst(text: str) -> str:
    network = ip_network(text)
    if network.prefixlen == 0:
        return "default"
    return str(network.network_address) if network.prefixlen == network.max_prefixlen else str(network)


def routes_json(m: Machine) -> str:
    """`ip -j route show table all` (and `ip -j -6 …`), both families in one list."""
    rows: list[dict[str, Any]] = []
    for r in [*m.routes, *(x for name in ("main", "local") for x in table_of(m, name) if x not in m.routes)]:
        row: dict[str, Any] = {"dst": _dst(r.destination), "table": r.table if r.kind != "local" else "local"}
        if ip_network(r.destination).version == 6:
            row["pref"] = "medium"
        if r.kind != "unicast":
            row["type"] = r.kind
        if r.metric:
            row["metric"] = r.metric
        if len(r.hops) == 1:
            row |= {"dev": r.hops[0][0]} | ({"gateway": r.hops[0][1]} if r.hops[0][1] else {})
        elif r.hops:
            row["nexthops"] = [{"dev": d, "weight": 1} | ({"gateway": v} if v else {}) for d, v in r.hops]
        rows.append(row)
    return json.dumps(rows)


def rules_json(m: Machine, version: int) -> str:
    """`ip -j rule`, or `ip -j -6 rule`."""
    rows = []
    for r in routing_rules(m, version):
        row: dict[str, Any] = {"priority": r.priority, "src": "all"}
        if r.source:
            network = ip_network(r.source)
            row |= {"src": str(network.network_address), "srclen": network.prefixlen}
        if r.mark is not None:
            row |= {"fwmark": hex(r.mark)} | ({"fwmask": hex(r.mask)} if r.mask != 0xFFFFFFFF else {})
        row |= {"action": r.action} if r.action else {"table": r.table}
        rows.append(row)
    return json.dumps(rows)


def _network(text: str, protocol: str, name: str, negated: bool, listed: bool) -> dict[str, Any]:
    network = ip_network(text)
    whole = network.prefixlen == network.max_prefixlen
    right: Any = str(network.network_address)
    if not whole:
        right = {"prefix": {"addr": str(network.network_address), "len": network.prefixlen}}
    if listed:
        other = "203.0.113.250" if network.version == 4 else "2001:db8:ffff::250"
        right = {"set": [right, other]}
    return {
        "match": {
            "op": "!=" if negated else "==",
            "left": {"payload": {"protocol": protocol, "field": name}},
            "right": right,
        }
    }


def _ports(name: str, ports: tuple[tuple[int, int], ...]) -> dict[str, Any]:
    items = [low if low == high else {"range": [low, high]} for low, high in ports]
    left = {"payload": {"protocol": name, "field": "type" if name.startswith("icmp") else "dport"}}
    return {"match": {"op": "==", "left": left, "right": items[0] if len(items) == 1 else {"set": items}}}


def _expressions(rule: PlainRule) -> list[dict[str, Any]]:
    m = rule.match
    out: list[dict[str, Any]] = []
    for key, name in ((m.in_dev, "iifname"), (m.out_dev, "oifname")):
        if key:
            out.append({"match": {"op": "==", "left": {"meta": {"key": name}}, "right": key}})
    for text, name, turned in ((m.source, "saddr", m.negated), (m.destination, "daddr", False)):
        if text:
            out.append(_network(text, "ip6" if ":" in text else "ip", name, turned, m.listed))
    if m.service in NUMBERS:
        found = _ports(m.service, m.ports) if m.ports else None
        out.append(found or {"match": {"op": "==", "left": {"meta": {"key": "l4proto"}}, "right": m.service}})
    elif m.service:
        version = 6 if ":" in (m.source or m.destination) else 4
        name = "icmp" if version == 4 else "icmpv6"
        known = {8: "echo-request", 0: "echo-reply", 128: "echo-request", 129: "echo-reply"}
        types = [known[low] for low, _ in m.ports]
        left = {"payload": {"protocol": name, "field": "type"}}
        if types:
            out.append({"match": {"op": "==", "left": left, "right": types[0] if len(types) == 1 else {"set": types}}})
        else:
            right: Any = (
                {"set": ["icmp", "ipv6-icmp"]}
                if not (m.source or m.destination)
                else "ipv6-icmp"
                if version == 6
                else "icmp"
            )
            out.append({"match": {"op": "==", "left": {"meta": {"key": "l4proto"}}, "right": right}})
    if m.states:
        out.append({"match": {"op": "in", "left": {"ct": {"key": "state"}}, "right": list(m.states)}})
    if m.mark is not None:
        out.append({"match": {"op": "==", "left": {"meta": {"key": "mark"}}, "right": m.mark}})
    return [*out, *_statement(rule)]


def _statement(rule: PlainRule) -> list[dict[str, Any]]:
    if rule.action in ("snat", "dnat"):
        return [{rule.action: {"addr": rule.to, "family": "ip6" if ":" in rule.to else "ip"}}]
    if rule.action in ("jump", "goto"):
        return [{rule.action: {"target": rule.to}}]
    if rule.action == "mark":
        return [{"mangle": {"key": {"meta": {"key": "mark"}}, "value": int(rule.to)}}]
    if rule.action == "continue":
        return [{"counter": {"packets": 0, "bytes": 0}}]
    if rule.action == "reject":
        return [{"reject": {"type": "icmpx", "expr": "admin-prohibited"}}]
    return [{rule.action: None}]


def nft_objects(m: Machine) -> list[dict[str, Any]]:
    """The chains and rules of `nft -j list ruleset`, in one table for both families."""
    out: list[dict[str, Any]] = [{"table": {"family": "inet", "name": "t"}}]
    for chain in m.chains:
        row: dict[str, Any] = {"family": "inet", "table": "t", "name": chain.name}
        if chain.hook:
            row |= {"type": chain.kind, "hook": chain.hook, "prio": chain.priority, "policy": chain.policy}
        out.append({"chain": row})
    for chain in m.chains:
        for rule in chain.rules:
            out.append({"rule": {"family": "inet", "table": "t", "chain": chain.name, "expr": _expressions(rule)}})
    return out
