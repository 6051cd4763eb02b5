"""Routing protocols over a tunnel: its neighbours as logs and records tell of them, and the routes that its gateways learned."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from ipaddress import ip_interface

from stomion.model.record import NEIGHBOUR_EVENTS
from stomion.model.tables import Route, Tables
from stomion.space.axis import address_number
from stomion.space.ranges import common
from stomion.tunnel.index import Index
from stomion.tunnel.lans import lans_of
from stomion.tunnel.picture import Adjacency, Change, End, Picture
from stomion.vocabulary.times import rfc3339_seconds

_ON = re.compile(r"on (\S{1,64}?)(?:,|$)")


def adjacencies(picture: Picture, index: Index) -> Iterator[Adjacency]:
    """Every neighbour that either end has through this tunnel, with all that was told of it in the order of its moments."""
    for end in picture.ends:
        found: dict[str, list[Change]] = {}
        for _, placed in index.happenings.get(end.site, ()):
            r = placed.record
            if r.what in NEIGHBOUR_EVENTS and _through(r.subject, _device(r.detail), end, picture, index):
                told = Change(r.site, rfc3339_seconds(r.at), placed.where(end.site), r.subject, r.detail, r.what)
                found.setdefault(r.subject, []).append(told)
        for address, changes in found.items():
            changes.sort(key=lambda c: c.at or 0.0)
            yield Adjacency(end.site, address, tuple(changes))


def _device(detail: str) -> str:
    on = _ON.match(detail)
    return on[1] if on is not None else ""


def _through(address: str, dev: str, end: End, picture: Picture, index: Index) -> bool:
    """Does an end reach this neighbour through the tunnel: on its interface, at the other end, or in the LAN behind that?"""
    own = end.sheet.interface if end.sheet is not None else ""
    if own and dev:
        return own == dev
    if own and any(_holds(net, address) for net in _networks(end.site, own, index)):
        return True
    other = picture.other(end)
    if other.tables is not None and _is_own(other.tables, address):
        return True
    return bool(common([address], lans_of(other, end)))


def _networks(site: str, dev: str, index: Index) -> Iterator[str]:
    sheet = index.sheets.get(site)
    for interface in sheet.interface if sheet is not None else ():
        if interface.name == dev:
            yield from interface.addresses


def _holds(network: str, address: str) -> bool:
    try:
        return ip_interface(address).ip in ip_interface(network).network
    except ValueError:
        return False


def _is_own(tables: Tables, address: str) -> bool:
    try:
        return tables.is_own(address_number(address))
    except ValueError:
        return False


@dataclass(frozen=True, slots=True)
class Learned:
    """Routes into a tunnel that an end's table has from a routing protocol."""

    protocols: tuple[str, ...]
    routes: tuple[Route, ...]


def learned(end: End) -> Learned | None:
    """None where there are none."""
    tables = end.tables
    if tables is None:
        return None
    own = end.sheet.interface if end.sheet is not None else ""
    devs = {own} if own else tables.tunnel_devs
    routes = tuple(r for r in tables.routes if r.learned and r.dev in devs)
    return Learned(tuple(sorted({r.learned for r in routes})), routes) if routes else None
