"""The operating system's own tables to the common shape: `ip -j addr/route/rule`, `nft -j list ruleset`, `ip xfrm policy`."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from stomion.errors import UnreadableInput
from stomion.ingest.gate import json_value
from stomion.ingest.item import Item, read_whole
from stomion.ingest.nftables import chain_of, is_base, rule_of
from stomion.ingest.owners import note_address
from stomion.ingest.reading import Kind, Reading
from stomion.model.box import Interval
from stomion.model.provenance import Provenance
from stomion.model.tables import Action, Chain, Policy, Route, RouteKind, RoutingRule, Rule, Tables
from stomion.space.axis import V4_ALL, V6_ALL, Prefix, address_number, interval_of, prefix_of
from stomion.space.boxes import ANY_ADDRESS, V4, V6, meet
from stomion.vocabulary.clean import clean

MAX_RULES = 200_000
LAST_RULE = 32_767
"""The priority of the rule for the table `default`, which IPv4 alone has (ip-rule(8))."""
_ENDS = (RouteKind.BLACKHOLE, RouteKind.UNREACHABLE, RouteKind.PROHIBIT)


def read_table(kind: str, text: bytes, file: str, tables: Tables) -> None:
    """Add a file of one of these kinds to a machine's tables. Raises UnreadableInput where it is damaged."""
    if kind == "IPsec policies":
        tables.policies.extend(_policies(clean(text.decode("utf-8", "replace")), file, tables))
        return
    if kind == "forwarding":
        _forwarding(clean(text.decode("utf-8", "replace")), file, tables)
        return
    data = json_value(text, kind)
    rows = data if isinstance(data, list) else [data]
    _say_cut(len(rows), file, tables)
    if kind == "addresses":
        _addresses(rows, tables)
    elif kind == "routes":
        _put_routes(list(_routes(rows, file, tables)), file, tables)
    elif kind == "rules":
        _put_rules(list(_rules(rows, file, tables)), tables)
    elif kind == "filter rules":
        _ruleset(data, file, tables)


def _say_cut(count: int, file: str, tables: Tables) -> None:
    if count > MAX_RULES:
        tables.doubts.append(f"{file}: {count - MAX_RULES:,} entries beyond the first {MAX_RULES:,} are not read")


def _put_routes(fresh: list[Route], file: str, tables: Tables) -> None:
    """A machine has one route of a destination, table and metric: where a later file has another, that one stands."""
    keys = {_route_key(r) for r in fresh}
    older = [r for r in tables.routes if _route_key(r) in keys and r.where.file != file]
    differing = [r for r in older if not any(_same_way(r, f) for f in fresh if _route_key(f) == _route_key(r))]
    if differing:
        text = f"{len(differing)} routes stand differently in {differing[0].where.file}; those of this file are taken"
        tables.doubts.append(f"{file}: {text}")
    tables.routes = [r for r in tables.routes if not any(r is o for o in older)] + fresh


_OWN = (RouteKind.LOCAL, RouteKind.BROADCAST, RouteKind.MULTICAST, RouteKind.ANYCAST)
"""Routes that the system makes of its own addresses: they stand beside others of the same destination."""


def _route_key(route: Route) -> tuple[Interval, str, int, bool]:
    return route.destination, route.table, route.metric, route.kind in _OWN


def _same_way(a: Route, b: Route) -> bool:
    return (a.dev, a.via, a.kind, a.others) == (b.dev, b.via, b.kind, b.others)


def _forwarding(text: str, file: str, tables: Tables) -> None:
    """`net.ipv4.ip_forward = 0`: whether this machine passes packets on, for each address family."""
    for number, line in enumerate(text.split("\n"), 1):
        key, _, value = line.partition("=")
        name, on = key.strip().replace("/", "."), value.strip() == "1"
        if value.strip() not in ("0", "1") or name not in ("net.ipv4.ip_forward", "net.ipv6.conf.all.forwarding"):
            continue
        if name.startswith("net.ipv6"):
            tables.forwarding_v6 = on
        else:
            tables.forwarding = on
        if not on or tables.forwarding_at is None:
            tables.forwarding_at = Provenance(file, tables.site, line=number)


def _number(row: dict[str, Any], key: str) -> int | None:
    """A number, written as one or as text (`0x64`); None where it is neither."""
    try:
        return int(_text(row, key), 0)
    except ValueError:
        return None


def _text(row: Any, key: str) -> str:
    value = row.get(key) if isinstance(row, dict) else None
    return str(value) if isinstance(value, str | int) and not isinstance(value, bool) else ""


def _addresses(rows: list[Any], tables: Tables) -> None:
    for link in rows:
        if not isinstance(link, dict):
            continue
        dev = _text(link, "ifname")
        found = tables.addresses.setdefault(dev, [])
        for info in link.get("addr_info", []) if isinstance(link.get("addr_info"), list) else []:
            try:
                own = address_number(_text(info, "local"))
                found.append((own, interval_of(f"{_text(info, 'local')}/{_text(info, 'prefixlen')}")[0]))
            except (ValueError, AttributeError):
                continue
        flags = link.get("flags")
        flags = flags if isinstance(flags, list) else []
        pointlike = "POINTOPOINT" in flags or _text(link, "link_type") in (
            "none",
            "ipip",
            "gre",
            "sit",
            "tunnel6",
            "xfrm",
        )
        if pointlike and dev != "lo":
            tables.tunnel_devs.add(dev)


def _prefix(text: str, version6: bool = False) -> Prefix:
    if text in ("default", "all", ""):
        return Prefix(V6_ALL if version6 else V4_ALL if text == "default" else ANY_ADDRESS, 0)
    return prefix_of(text)


def _routes(rows: list[Any], file: str, tables: Tables) -> Iterator[Route]:
    for number, row in enumerate(rows[:MAX_RULES], 1):
        if not isinstance(row, dict):
            continue
        via = _text(row, "gateway") or _text(row.get("via"), "host")
        try:
            interval, length = _prefix(_text(row, "dst"), _is_v6_route(row, via))
        except ValueError:
            tables.doubts.append(f"{file}: route {number} has no destination that is understood")
            continue
        dev = _text(row, "dev")
        hops = _hops(row)
        if hops:
            dev, via = hops[0]
        strange = [v for v in (via, *(v for _, v in hops)) if v and not _is_address(v)]
        if strange:
            tables.doubts.append(f"{file}: route {number} has {strange[0][:40]!r} as its next hop; an address expected")
            continue
        kind = _kind(_text(row, "type") or "unicast")
        words = _text(row, "dst") + (f" via {via}" if via else "") + (f", {dev}" if dev else "")
        metric = _number(row, "metric") or 0
        yield Route(
            interval,
            length,
            Provenance(file, tables.site, record=number),
            via,
            dev,
            metric,
            _text(row, "table") or "main",
            kind,
            words,
            tuple(hops[1:]),
        )


def _is_v6_route(row: dict[str, Any], via: str) -> bool:
    """Is a default route one of IPv6? By its addresses, else by the preference that IPv6 routes alone have (RFC 4191)."""
    return ":" in via or ":" in _text(row, "prefsrc") or "pref" in row


def _kind(text: str) -> RouteKind:
    try:
        return RouteKind(text)
    except ValueError:
        return RouteKind.OTHER


def _is_address(text: str) -> bool:
    try:
        address_number(text)
    except ValueError:
        return False
    return True


def _hops(row: dict[str, Any]) -> list[tuple[str, str]]:
    """The next hops (`dev`, `via`) of a multipath route that are alive; all of them where none is."""
    found = row.get("nexthops")
    listed = [h for h in found if isinstance(h, dict)] if isinstance(found, list) else []
    alive = [h for h in listed if not {"dead", "linkdown"} & set(_words(h.get("flags")))]
    return [(_text(h, "dev"), _text(h, "gateway") or _text(h.get("via"), "host")) for h in alive or listed]


def _words(value: Any) -> list[str]:
    return [v for v in value if isinstance(v, str)] if isinstance(value, list) else []


def _rules(rows: list[Any], file: str, tables: Tables) -> Iterator[RoutingRule]:
    known = {
        "priority",
        "src",
        "srclen",
        "dst",
        "dstlen",
        "table",
        "iif",
        "fwmark",
        "fwmask",
        "action",
        "protocol",
        "flags",
    }
    whole = _family_of(rows, tables)
    for number, row in enumerate(rows[:MAX_RULES], 1):
        if not isinstance(row, dict):
            continue
        where = Provenance(file, tables.site, record=number)
        try:
            source = _with_length(_text(row, "src"), _text(row, "srclen"), whole)
            destination = _with_length(_text(row, "dst"), _text(row, "dstlen"), whole)
        except ValueError:
            doubt = f"routing rule {number} has no range that is understood"
            tables.doubts.append(f"{file}: {doubt}")
            yield RoutingRule(_number(row, "priority") or 0, whole, whole, "", where, doubt=doubt)
            continue
        mark, mask = _number(row, "fwmark"), _number(row, "fwmask")
        action = _text(row, "action")
        strange = sorted(set(row) - known)
        doubt = (
            f"{', '.join(strange)} of a routing rule"
            if strange and strange != ["not"]
            else "not"
            if "not" in row
            else ""
        )
        yield RoutingRule(
            _number(row, "priority") or 0, source, destination, _text(row, "table"), where, _text(row, "iif"), mark,
            2**32 - 1 if mask is None else mask, RouteKind(action) if action in _ENDS else None, doubt,
        )  # fmt: skip


def _family_of(rows: list[Any], tables: Tables) -> Interval:
    """The addresses that a listing of routing rules speaks of: by the ranges it names, or by the rule for the table `default`, which
    IPv4's ends with and IPv6 has not. A listing that tells neither speaks of both, unless IPv4's was read already."""
    listed = [row for row in rows if isinstance(row, dict)]
    texts = "".join(_text(row, key) for row in listed for key in ("src", "dst"))
    if ":" in texts:
        return V6_ALL
    if "." in texts or any(_number(row, "priority") == LAST_RULE for row in listed):
        return V4_ALL
    return V6_ALL if any(r.destination == V4_ALL for r in tables.routing_rules) else ANY_ADDRESS


def _put_rules(fresh: list[RoutingRule], tables: Tables) -> None:
    """Rules of one listing; where IPv4's come now, an earlier listing that could have been of either family was of IPv6."""
    if any(r.destination == V4_ALL for r in fresh):
        tables.routing_rules = [_of_v6(r) for r in tables.routing_rules]
    tables.routing_rules.extend(fresh)


def _of_v6(rule: RoutingRule) -> RoutingRule:
    halves = {ANY_ADDRESS: V6_ALL}
    return replace(
        rule,
        source=halves.get(rule.source, rule.source),
        destination=halves.get(rule.destination, rule.destination),
    )


def _with_length(text: str, length: str, whole: Interval) -> Interval:
    return whole if text in ("all", "") else _prefix(f"{text}/{length}" if length else text).interval


def _ruleset(data: Any, file: str, tables: Tables) -> None:
    """Chains with their rules in order; named sets are filled in where rules speak of them."""
    rows = data.get("nftables") if isinstance(data, dict) else None
    if not isinstance(rows, list):
        raise UnreadableInput("no list of nftables objects")
    sets = {
        (_text(o["set"], "table"), _text(o["set"], "name")): o["set"].get("elem", [])
        for o in rows
        if isinstance(o, dict) and isinstance(o.get("set"), dict)
    }
    _say_cut(len(rows), file, tables)
    chains: dict[str, tuple[dict[str, Any], list[Rule]]] = {}
    for line, item in enumerate(rows[:MAX_RULES], 1):
        if not isinstance(item, dict):
            continue
        if isinstance(item.get("chain"), dict):
            chains[_chain_name(item["chain"], _text(item["chain"], "name"))] = (item["chain"], [])
        elif isinstance(item.get("rule"), dict):
            row = item["rule"]
            name = _chain_name(row, _text(row, "chain"))
            if name in chains:
                where = Provenance(file, tables.site, record=line)
                chains[name][1].append(
                    rule_of(row, len(chains[name][1]) + 1, where, _named_sets(sets, _text(row, "table")))
                )
    for name, (row, rules) in chains.items():
        scoped = _counted(tuple(_scoped(rule, row) for rule in rules), tables.chains.get(name))
        tables.chains[name] = (
            chain_of(row, name, scoped, Provenance(file, tables.site)) if is_base(row) else Chain(name, scoped)
        )


def _counted(rules: tuple[Rule, ...], before: Chain | None) -> tuple[Rule, ...]:
    """The rules of a chain that was read before, with how far their counts went in between; others as they are."""
    if before is None or [(r.action, r.boxes) for r in before.rules] != [(r.action, r.boxes) for r in rules]:
        return rules
    pairs = zip(before.rules, rules, strict=True)
    return tuple(
        replace(new, moved=abs(new.hits - old.hits), hits=max(new.hits, old.hits))
        if new.hits is not None and old.hits is not None
        else new
        for old, new in pairs
    )


def _named_sets(sets: dict[tuple[str, str], Any], table: str) -> Callable[[str], Any]:
    """Look a named set of a table up."""
    return lambda name: sets.get((table, name))


def _chain_name(row: dict[str, Any], name: str) -> str:
    """A chain's name is its own within family and table only."""
    return f"{_text(row, 'family')} {_text(row, 'table')} {name}"


def _scoped(rule: Rule, chain: dict[str, Any]) -> Rule:
    """A jump's target is in the same table; an `ip` table sees IPv4 only, an `ip6` table IPv6."""
    family = _text(chain, "family")
    half = {"ip": V4, "ip6": V6}.get(family)
    boxes = rule.boxes if half is None else tuple(m for b in rule.boxes if (m := meet(b, half)) is not None)
    to = _chain_name(chain, rule.to) if rule.action in (Action.JUMP, Action.GOTO) else rule.to
    return replace(rule, boxes=boxes, to=to)


_XFRM = re.compile(r"^src (?P<src>\S+) dst (?P<dst>\S+)")
_XFRM_PEER = re.compile(r"^\s+tmpl src \S+ dst (?P<peer>\S+)")
_XFRM_DIR = re.compile(r"\bdir (?P<dir>out|in|fwd)\b")


def _policies(text: str, file: str, tables: Tables) -> Iterator[Policy]:
    """Outgoing policies: a first line with the selector, its direction on the next, the peer in the template after it."""
    held: tuple[str, str, int] | None = None
    waiting: Policy | None = None
    for number, line in enumerate(text.split("\n"), 1):
        start, template = _XFRM.match(line), _XFRM_PEER.match(line)
        if waiting is not None and (start or template):
            yield replace(waiting, peer=template["peer"]) if template else waiting
            waiting = None
        if start:
            held = (start["src"], start["dst"], number)
            continue
        direction = _XFRM_DIR.search(line)
        if direction and held is not None and direction["dir"] == "out":
            try:
                near, far = (interval_of(t)[0] for t in held[:2])
            except ValueError:
                continue
            where = Provenance(file, tables.site, line=held[2])
            waiting = Policy(f"{held[0]} to {held[1]}", (near,), (far,), "", where)
        if direction:
            held = None
    if waiting is not None:
        yield waiting


def _read_into(kind: str) -> Callable[[Reading], None]:
    """A table of the operating system to the tables of its gateway or host."""

    def read(reading: Reading) -> None:
        item = reading.item
        reading.source(kind)
        if not item.site:
            return
        tables = reading.evidence.tables.setdefault((item.site, item.host or ""), Tables(item.site, item.host or ""))
        known = len(tables.doubts)
        whole = read_whole(item)
        read_table(kind, whole, item.name, tables)
        for doubt in tables.doubts[known:]:
            reading.problem(doubt.removeprefix(f"{item.name}: "))
        if kind == "addresses":
            _note_addresses(json_value(whole, kind), reading)

    return read


def _note_addresses(table: Any, reading: Reading) -> None:
    """The addresses a site has, and the networks behind it where they are a host's."""
    item = reading.item
    for link in table if isinstance(table, list) else []:
        rows = link.get("addr_info") if isinstance(link, dict) else None
        for info in rows if isinstance(rows, list) else []:
            if isinstance(info, dict) and info.get("scope") == "global" and item.site:
                text = f"{info.get('local')}/{info.get('prefixlen')}"
                note_address(reading.evidence, item.site, text, host=bool(item.host))


def _json_with(start: bytes, *words: bytes, within: int) -> Callable[[Item, bytes], bool]:
    """Recognises JSON that begins with one of some characters and has all of some words near its beginning."""

    def fits(_item: Item, head: bytes) -> bool:
        text = head.lstrip(b"\xef\xbb\xbf \r\n\t")
        return text[:1] in tuple(start[i : i + 1] for i in range(len(start))) and all(w in text[:within] for w in words)

    return fits


_STATE_TEXT = re.compile(rb"\Asrc \S+ dst \S+ ?\r?\n\s+(dir (?:in|out|fwd)|proto \w+ spi)")
_FORWARDING = re.compile(rb"\A(?:net\.ipv[46]\.(?:conf\.all\.|conf/all/)?(?:ip_)?forward(?:ing)?) ?= ?[01]")


def _is_xfrm(word: bytes) -> Callable[[Item, bytes], bool]:
    def fits(_item: Item, head: bytes) -> bool:
        found = _STATE_TEXT.match(head.lstrip(b"\xef\xbb\xbf \r\n\t")[:4096])
        return found is not None and found[1].startswith(word)

    return fits


def _is_forwarding(_item: Item, head: bytes) -> bool:
    return _FORWARDING.match(head.lstrip(b"\xef\xbb\xbf \r\n\t")[:4096]) is not None


FILTER_RULES = Kind("filter rules", _json_with(b"{[", b'"nftables"', within=200), _read_into("filter rules"))
ADDRESSES = Kind("addresses", _json_with(b"[", b'"ifname"', b'"addr_info"', within=65_536), _read_into("addresses"))
RULES = Kind("rules", _json_with(b"[", b'"priority"', b'"src"', within=400), _read_into("rules"))
ROUTES = Kind("routes", _json_with(b"[", b'"dst"', within=400), _read_into("routes"))
FORWARDING = Kind("forwarding", _is_forwarding, _read_into("forwarding"))
POLICIES = Kind("IPsec policies", _is_xfrm(b"dir"), _read_into("IPsec policies"))
STATES = Kind("IPsec states", _is_xfrm(b"proto"), lambda reading: reading.source("IPsec states", used=False))
