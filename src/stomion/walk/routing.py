"""Which way packets go: policy routing first, then the longest prefix, then the metric; for whole sets of packets."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace

from stomion.model.provenance import Provenance
from stomion.model.tables import Interval, Route, RoutingRule, Tables
from stomion.space.boxes import DESTINATION, EVERY, SOURCE, Box
from stomion.walk.pieces import Piece

LOCAL = "local"
NO_ROUTE = "no route"
MAIN_RULES = (("local", 0), ("main", 32_766), ("default", 32_767))
"""The tables asked where a machine lists no policy routing (ip-rule(8))."""


@dataclass(frozen=True, slots=True)
class Way:
    """Where a piece goes: `dev` and `via`, or `end` where its way ends here (local, no route, blackhole …)."""

    piece: Piece
    dev: str = ""
    via: str = ""
    end: str = ""
    route: Route | None = None
    rule: RoutingRule | None = None
    doubt: str = ""
    others: tuple[tuple[str, str], ...] = ()
    """Further next hops (`dev`, `via`) that a part of the traffic takes; which one a packet takes, no table tells."""

    @property
    def where(self) -> Provenance | None:
        """The place of the route, else of the rule, that decided."""
        return self.route.where if self.route is not None else self.rule.where if self.rule is not None else None


def routed(tables: Tables, pieces: Iterable[Piece], in_dev: str = "") -> list[Way]:
    """Every piece with its way; disjoint, and together what went in."""
    left = list(pieces)
    ways: list[Way] = []
    for rule in _rules(tables):
        if not left:
            break
        if rule.in_dev and rule.in_dev != in_dev:
            continue
        asked, left = _matching(rule, left)
        if rule.doubt:
            ways.extend(Way(piece, rule=rule, doubt=rule.doubt) for piece in asked)
            continue
        if rule.end:
            ways.extend(Way(piece, end=rule.end, rule=rule) for piece in asked)
            continue
        found, missed = _in_table(tables, rule.table, asked)
        ways.extend(replace(way, rule=rule) for way in found)
        left.extend(missed)
    return ways + [Way(piece, end=NO_ROUTE) for piece in left]


def _rules(tables: Tables) -> list[RoutingRule]:
    if tables.routing_rules:
        return sorted(tables.routing_rules, key=lambda r: r.priority)
    here = Provenance("", tables.site)
    return [RoutingRule(priority, EVERY[SOURCE], EVERY[DESTINATION], table, here) for table, priority in MAIN_RULES]


def _matching(rule: RoutingRule, pieces: list[Piece]) -> tuple[list[Piece], list[Piece]]:
    box: Box = (rule.source, rule.destination, *EVERY[2:])
    inside: list[Piece] = []
    outside: list[Piece] = []
    for piece in pieces:
        if not rule.mark[0] <= piece.mark <= rule.mark[1]:
            outside.append(piece)
            continue
        cut = piece.cut(box)
        if cut is not None:
            inside.append(cut)
        outside.extend(piece.without(box))
    return inside, outside


def _in_table(tables: Tables, name: str, pieces: list[Piece]) -> tuple[list[Way], list[Piece]]:
    """Longest prefix first, the lowest metric among equals; `throw` sends the packet on to the next rule."""
    routes = sorted((r for r in tables.routes if r.table == name), key=lambda r: (-r.length, r.metric))
    ways: list[Way] = []
    thrown: list[Piece] = []
    left = pieces
    for route in routes:
        if not left:
            break
        box: Box = (EVERY[SOURCE], route.destination, *EVERY[2:])
        rest: list[Piece] = []
        for piece in left:
            cut = piece.cut(box)
            if cut is None:
                rest.append(piece)
                continue
            rest.extend(piece.without(box))
            if route.kind == "throw":
                thrown.append(cut)
            else:
                ways.append(_way(cut, route))
        left = rest
    return ways, left + thrown


def _way(piece: Piece, route: Route) -> Way:
    if route.kind in ("local", "broadcast", "anycast"):
        return Way(piece, end=LOCAL, route=route)
    if route.kind != "unicast":
        return Way(piece, end=route.kind, route=route)
    return Way(piece, route.dev, route.via, route=route, others=route.others)


def longest(tables: Tables, address: int) -> Way:
    """The way of packets to one address, from this machine itself."""
    point: Interval = (address, address)
    return routed(tables, [Piece((EVERY[SOURCE], point, *EVERY[2:]))])[0]
