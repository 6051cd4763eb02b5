"""Which way packets go: policy routing first, then the longest prefix, then the metric; for whole sets of packets."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

import msgspec
from msgspec.structs import replace

from stomion.model.box import Interval
from stomion.model.provenance import Provenance
from stomion.model.tables import Route, RouteKind, RoutingRule, Tables
from stomion.space.axis import V4_ALL, V6_ALL
from stomion.space.boxes import box_of
from stomion.walk.pieces import Piece, divided

MAIN_RULES = (("local", 0), ("main", 32_766), ("default", 32_767))
"""The tables asked where a machine lists no policy routing (ip-rule(8))."""


class Ending(StrEnum):
    """How packets' way ends at a machine's routing; the words are those that people read."""

    LOCAL = "local"
    NO_ROUTE = "no route"
    BLACKHOLE = "blackhole"
    UNREACHABLE = "unreachable"
    PROHIBIT = "prohibit"
    MULTICAST = "multicast"


_ENDINGS = {
    RouteKind.LOCAL: Ending.LOCAL,
    RouteKind.BROADCAST: Ending.LOCAL,
    RouteKind.ANYCAST: Ending.LOCAL,
    RouteKind.BLACKHOLE: Ending.BLACKHOLE,
    RouteKind.UNREACHABLE: Ending.UNREACHABLE,
    RouteKind.PROHIBIT: Ending.PROHIBIT,
    RouteKind.MULTICAST: Ending.MULTICAST,
}
"""How packets end that a route of some kind, or a routing rule's action, takes; kinds that are not here lead on."""


class Way(msgspec.Struct, frozen=True):
    """Where a piece goes: `dev` and `via`, or `end` where its way ends here."""

    piece: Piece
    dev: str = ""
    via: str = ""
    end: Ending | None = None
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
            ways.extend(Way(piece, end=_ENDINGS.get(rule.end), rule=rule) for piece in asked)
            continue
        found, missed = _in_table(tables, rule.table, asked)
        ways.extend(replace(way, rule=rule) for way in found)
        left.extend(missed)
    return ways + [Way(piece, end=Ending.NO_ROUTE) for piece in left]


def _rules(tables: Tables) -> list[RoutingRule]:
    """In the order in which they are asked; a family of which none is known has those that every machine has."""
    here = Provenance("", tables.site)
    listed = list(tables.routing_rules)
    for whole in (V4_ALL, V6_ALL):
        if not any(r.destination[0] <= whole[1] and whole[0] <= r.destination[1] for r in tables.routing_rules):
            listed += [RoutingRule(priority, whole, whole, table, here) for table, priority in MAIN_RULES]
    return sorted(listed, key=lambda r: r.priority)


def _matching(rule: RoutingRule, pieces: list[Piece]) -> tuple[list[Piece], list[Piece]]:
    """The parts of some pieces that a routing rule asks its table about, and the rest."""
    marked = [p for p in pieces if rule.marked(p.mark)]
    inside, outside = divided(marked, (box_of(rule.source, rule.destination),))
    return inside, outside + [p for p in pieces if not rule.marked(p.mark)]


def _ordered(tables: Tables, name: str) -> list[Route]:
    """A table's routes in the order in which they win; put in order once."""
    known = tables.worked_out.get(("routes", name))
    if not isinstance(known, list):
        found = (r for r in tables.routes if r.table == name)
        known = tables.worked_out["routes", name] = sorted(found, key=lambda r: (-r.length, r.metric))
    return known


def _in_table(tables: Tables, name: str, pieces: list[Piece]) -> tuple[list[Way], list[Piece]]:
    """Longest prefix first, the lowest metric among equals; `throw` sends the packet on to the next rule."""
    routes = _ordered(tables, name)
    ways: list[Way] = []
    thrown: list[Piece] = []
    left = pieces
    for route in routes:
        if not left:
            break
        held, left = divided(left, (box_of(destination=route.destination),))
        if route.kind is RouteKind.THROW:
            thrown += held
        else:
            ways += [_way(piece, route) for piece in held]
    return ways, left + thrown


def _way(piece: Piece, route: Route) -> Way:
    if route.kind is RouteKind.OTHER:
        return Way(piece, route=route, doubt=f"the kind of the route {route.text}")
    if route.kind in _ENDINGS:
        return Way(piece, end=_ENDINGS[route.kind], route=route)
    return Way(piece, route.dev, route.via, route=route, others=route.others)


def longest(tables: Tables, address: int) -> Way:
    """The way of packets to one address, from this machine itself."""
    point: Interval = (address, address)
    return routed(tables, [Piece(box_of(destination=point))])[0]
