"""The steps before any tunnel: host to its own gateway, gateway to its next hop, gateway to the peer's public address."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from stomion.model.tables import Route, Tables
from stomion.space.axis import address_number, address_text
from stomion.tunnel.attempts import Attempt, of_test
from stomion.tunnel.picture import End, Picture
from stomion.walk.routing import longest


class Near(StrEnum):
    """A step, in the order in which packets take it."""

    OWN_GATEWAY = "own-gateway"
    NEXT_HOP = "next-hop"
    PEER_ADDRESS = "peer-address"


@dataclass(frozen=True, slots=True)
class Check:
    """The latest attempt of a step at an end."""

    end: End
    step: Near
    attempt: Attempt


def checks_of(picture: Picture) -> tuple[Check, ...]:
    """The latest attempt of every step that was tried, at the left end first, in the order of the steps."""
    found: dict[tuple[str, Near], Check] = {}
    for test in picture.near:
        end = picture.left if test.from_left else picture.right
        step = step_of(picture, end, test.who, test.to)
        if step is not None:
            found[end.site, step] = Check(end, step, of_test(test))
    return tuple(found[e.site, s] for e in picture.ends for s in Near if (e.site, s) in found)


def step_of(picture: Picture, end: End, who: str, to: str) -> Near | None:
    """Which step a test from an end is, by its source and target; None where it is none of them."""
    if to in picture.other(end).addresses:
        return Near.PEER_ADDRESS if who == end.site else None
    if who == end.site:
        return Near.NEXT_HOP if to in next_hops(end, picture.other(end)) else None
    try:
        own = end.tables is not None and end.tables.is_own(address_number(to))
    except ValueError:
        return None
    return Near.OWN_GATEWAY if own else None


def next_hops(end: End, other: End) -> frozenset[str]:
    """The next hops of an end's default routes, and of its route to the peer's public address."""
    if end.tables is None:
        return frozenset()
    found = {r.via for r in end.tables.routes if r.length == 0 and r.via}
    route = route_to_peer(end, other)
    return frozenset(found | ({route.via} if route is not None and route.via else set()))


def route_to_peer(end: End, other: End) -> Route | None:
    """The route that an end's own tables have towards the peer's public address; None without one, or without an address.

    Several rules ask: what is found stays with the end.
    """
    tables = end.tables
    if tables is None:
        return None
    key = f"route to {sorted(other.addresses)}"
    if key not in end.worked_out:
        ways = (longest(tables, number) for number in _numbers(other))
        end.worked_out[key] = next((w.route for w in ways if w.route is not None), None)
    known = end.worked_out[key]
    return known if isinstance(known, Route) else None


def lacks_route(end: End, other: End) -> bool:
    """Do an end's tables, which are known, have no way at all to any of the peer's public addresses?"""
    tables = end.tables
    return _complete(tables) and bool(_numbers(other)) and route_to_peer(end, other) is None


def off_link(end: End, other: End) -> str:
    """The next hop towards the peer where it lies in none of the gateway's networks; empty where there is no such thing."""
    route, tables = route_to_peer(end, other), end.tables
    if route is None or tables is None or not route.via or not _complete(tables):
        return ""
    try:
        number = address_number(route.via)
    except ValueError:
        # A sheet may name its next hop by a host's name.
        return ""
    nets = [net for dev, rows in tables.addresses.items() if dev != "lo" for _, net in rows]
    if not nets or any(low <= number <= high for low, high in nets) or route.dev in tables.tunnel_devs:
        return ""
    return address_text(number)


def _complete(tables: Tables | None) -> bool:
    """Are interfaces or routes known, and all of them understood, so that an absence means something?"""
    if tables is None or tables.doubts:
        return False
    return bool(tables.routes) and (bool(tables.addresses) or any(r.via for r in tables.routes))


def _numbers(end: End) -> list[int]:
    out = []
    for text in sorted(end.addresses):
        try:
            out.append(address_number(text))
        except ValueError:
            continue
    return out
