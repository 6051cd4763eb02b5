"""A machine's routes and routing rules (`ip -j route`, `ip -j rule`, both address families) to the common shape."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from stomion.ingest.osrows import number_of, text_of, within
from stomion.model.box import Interval
from stomion.model.provenance import Provenance
from stomion.model.tables import Entry, Route, RouteKind, RoutingRule, Tables
from stomion.space.axis import V4_ALL, V6_ALL, Prefix, is_address, prefix_of
from stomion.space.boxes import ANY_ADDRESS

LAST_RULE = 32_767
"""The priority of the rule for the table `default`, which IPv4 alone has (ip-rule(8))."""
_ENDS = (RouteKind.BLACKHOLE, RouteKind.UNREACHABLE, RouteKind.PROHIBIT)


def with_routes(tables: Tables, rows: list[Any], file: str) -> Tables:
    """The tables with a listing of routes. A machine has one route of a destination, table and metric: where a later file has
    another, that one stands, and of a table that was read again what is gone is gone."""
    doubts: list[str] = []
    fresh = list(_routes(rows, Provenance(file, tables.site), doubts))
    by_key = _by_key(fresh)
    before = [r for r in tables.routes if r.where.file != file]
    older = [r for r in before if _route_key(r) in by_key]
    differing = [r for r in older if not _is_among(r, by_key)]
    if differing:
        doubts.append(
            f"{len(differing)} routes stand differently in {differing[0].where.file}; those of this file are taken"
        )
    gone = _gone(before, older, {_scope(r) for r in fresh})
    out = {id(r) for r in (*older, *gone)}
    twice, held = {_scope(r) for r in older}, _by_key(older)
    came = [r for r in fresh if _scope(r) in twice and not _is_among(r, held)]
    return replace(
        tables,
        routes=(*(r for r in tables.routes if id(r) not in out), *fresh),
        doubts=(*tables.doubts, *doubts),
        came=(*tables.came, *_entries(came)),
        gone=(*tables.gone, *_entries([*differing, *gone])),
    )


RouteKey = tuple[Interval, str, int, bool]


def _by_key(routes: list[Route]) -> dict[RouteKey, list[Route]]:
    found: dict[RouteKey, list[Route]] = defaultdict(list)
    for route in routes:
        found[_route_key(route)].append(route)
    return found


def _is_among(route: Route, held: dict[RouteKey, list[Route]]) -> bool:
    return any(_same_way(route, other) for other in held.get(_route_key(route), ()))


def _scope(route: Route) -> tuple[str, bool]:
    """A listing is of a table and a family."""
    return route.table, route.destination[0] > V4_ALL[1]


def _gone(before: list[Route], older: list[Route], scopes: set[tuple[str, bool]]) -> list[Route]:
    """Routes of an earlier listing that the later one of the same table has no more. Another part of the same table is no later listing:
    most of the earlier one's must stand in it too."""
    held: dict[str, list[Route]] = defaultdict(list)
    for route in before:
        if _scope(route) in scopes and route.kind not in _OWN:
            held[route.where.file].append(route)
    known = {id(r) for r in older}
    found = []
    for routes in held.values():
        missing = [r for r in routes if id(r) not in known]
        if len(missing) * 2 < len(routes):
            found += missing
    return found


def _entries(routes: list[Route]) -> Iterator[Entry]:
    return (Entry("route", r.text, r.where) for r in routes if r.kind not in _OWN)


_OWN = (RouteKind.LOCAL, RouteKind.BROADCAST, RouteKind.MULTICAST, RouteKind.ANYCAST)
"""Routes that the system makes of its own addresses: they stand beside others of the same destination."""


def _route_key(route: Route) -> RouteKey:
    return route.destination, route.table, route.metric, route.kind in _OWN


def _same_way(a: Route, b: Route) -> bool:
    return (a.dev, a.via, a.kind, a.others) == (b.dev, b.via, b.kind, b.others)


def _prefix(text: str, version6: bool = False) -> Prefix:
    if text in ("default", "all", ""):
        return Prefix(V6_ALL if version6 else V4_ALL if text == "default" else ANY_ADDRESS, 0)
    return prefix_of(text)


def _routes(rows: list[Any], where: Provenance, doubts: list[str]) -> Iterator[Route]:
    for number, row in enumerate(within(rows), 1):
        if not isinstance(row, dict):
            continue
        via = text_of(row, "gateway") or text_of(row.get("via"), "host")
        try:
            interval, length = _prefix(text_of(row, "dst"), _is_v6_route(row, via))
        except ValueError:
            doubts.append(f"route {number} has no destination that is understood")
            continue
        dev = text_of(row, "dev")
        hops = _hops(row)
        if hops:
            dev, via = hops[0]
        strange = [v for v in (via, *(v for _, v in hops)) if v and not is_address(v)]
        if strange:
            doubts.append(f"route {number} has {strange[0][:40]!r} as its next hop; an address expected")
            continue
        kind = _kind(text_of(row, "type") or "unicast")
        words = text_of(row, "dst") + (f" via {via}" if via else "") + (f", {dev}" if dev else "")
        metric = number_of(row, "metric") or 0
        yield Route(
            interval, length, Provenance(where.file, where.site, record=number), via, dev, metric, text_of(row, "table") or "main",
            kind, words, tuple(hops[1:]), _learned(text_of(row, "protocol")),
        )  # fmt: skip


_PROTOCOLS = frozenset(("babel", "bgp", "bird", "isis", "ospf", "rip", "zebra"))
"""Origins of routes that routing daemons give (rtnetlink(7), `rtm_protocol`)."""


def _learned(protocol: str) -> str:
    return protocol if protocol in _PROTOCOLS else ""


def _is_v6_route(row: dict[str, Any], via: str) -> bool:
    """Is a default route one of IPv6? By its addresses, else by the preference that IPv6 routes alone have (RFC 4191)."""
    return ":" in via or ":" in text_of(row, "prefsrc") or "pref" in row


def _kind(text: str) -> RouteKind:
    try:
        return RouteKind(text)
    except ValueError:
        return RouteKind.OTHER


def _hops(row: dict[str, Any]) -> list[tuple[str, str]]:
    """The next hops (`dev`, `via`) of a multipath route that are alive; all of them where none is."""
    found = row.get("nexthops")
    listed = [h for h in found if isinstance(h, dict)] if isinstance(found, list) else []
    alive = [h for h in listed if not {"dead", "linkdown"} & set(_words(h.get("flags")))]
    return [(text_of(h, "dev"), text_of(h, "gateway") or text_of(h.get("via"), "host")) for h in alive or listed]


def _words(value: Any) -> list[str]:
    return [v for v in value if isinstance(v, str)] if isinstance(value, list) else []


_KNOWN = frozenset(
    ["priority", "src", "srclen", "dst", "dstlen", "table", "iif", "fwmark", "fwmask", "action", "protocol", "flags"]
)
"""What of a routing rule is understood, or does not matter to what it matches."""


def _rules(rows: list[Any], where: Provenance, whole: Interval) -> Iterator[RoutingRule]:
    """Rules of a listing that speaks of the addresses in `whole`; one whose ranges are not understood has a doubt."""
    for number, row in enumerate(within(rows), 1):
        if not isinstance(row, dict):
            continue
        place = Provenance(where.file, where.site, record=number)
        try:
            source = _with_length(text_of(row, "src"), text_of(row, "srclen"), whole)
            destination = _with_length(text_of(row, "dst"), text_of(row, "dstlen"), whole)
        except ValueError:
            doubt = f"routing rule {number} has no range that is understood"
            yield RoutingRule(number_of(row, "priority") or 0, whole, whole, "", place, doubt=doubt)
            continue
        mark, mask = number_of(row, "fwmark"), number_of(row, "fwmask")
        action = text_of(row, "action")
        strange = sorted(set(row) - _KNOWN)
        doubt = (
            f"{', '.join(strange)} of a routing rule"
            if strange and strange != ["not"]
            else "not"
            if "not" in row
            else ""
        )
        yield RoutingRule(
            number_of(row, "priority") or 0, source, destination, text_of(row, "table"), place, text_of(row, "iif"), mark,
            2**32 - 1 if mask is None else mask, RouteKind(action) if action in _ENDS else None, doubt,
        )  # fmt: skip


def _family_of(rows: list[Any], tables: Tables) -> Interval:
    """The addresses that a listing of routing rules speaks of: by the ranges it names, or by the rule for the table `default`, which
    IPv4's ends with and IPv6 has not. A listing that tells neither speaks of both, unless IPv4's was read already."""
    listed = [row for row in rows if isinstance(row, dict)]
    texts = "".join(text_of(row, key) for row in listed for key in ("src", "dst"))
    if ":" in texts:
        return V6_ALL
    if "." in texts or any(number_of(row, "priority") == LAST_RULE for row in listed):
        return V4_ALL
    return V6_ALL if any(r.destination == V4_ALL for r in tables.routing_rules) else ANY_ADDRESS


def with_rules(tables: Tables, rows: list[Any], file: str) -> Tables:
    """The tables with one listing of routing rules; where IPv4's come now, an earlier listing that could have been of either family
    was of IPv6."""
    fresh = list(_rules(rows, Provenance(file, tables.site), _family_of(rows, tables)))
    older = tables.routing_rules
    if any(r.destination == V4_ALL for r in fresh):
        older = tuple(map(_of_v6, older))
    doubts = [r.doubt for r in fresh if r.doubt.startswith("routing rule ")]
    return replace(tables, routing_rules=(*older, *fresh), doubts=(*tables.doubts, *doubts))


def _of_v6(rule: RoutingRule) -> RoutingRule:
    halves = {ANY_ADDRESS: V6_ALL}
    return replace(
        rule,
        source=halves.get(rule.source, rule.source),
        destination=halves.get(rule.destination, rule.destination),
    )


def _with_length(text: str, length: str, whole: Interval) -> Interval:
    return whole if text in ("all", "") else _prefix(f"{text}/{length}" if length else text).interval
