"""A case's evidence by what it speaks of, gone through once."""

from __future__ import annotations

import ipaddress
from array import array
from collections.abc import Callable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import replace
from functools import lru_cache
from typing import TypeVar

from stomion.case.evidence import Evidence, Log, Placed
from stomion.listings.reader import Listed
from stomion.measure.series import CounterSeries
from stomion.model.box import Interval
from stomion.model.datagrams import Datagrams, Gathered
from stomion.model.event import Event
from stomion.model.record import TestRecord
from stomion.model.sa import Drop, State
from stomion.model.site import SheetTunnel, SiteSheet
from stomion.model.tables import Tables
from stomion.space.axis import is_address
from stomion.space.ranges import written
from stomion.tunnel.targets import Targets, far_ranges
from stomion.walk.declared import declared_tables, policy_on

MANY_TESTS = 64
"""Tests of a site from which on they are looked up by their targets."""
Row = TypeVar("Row")
BySite = dict[str, list[tuple[int, Placed[Row]]]]
"""Records by the site they name, each with its place in the order in which all were read."""
BySites = dict[tuple[str, str, str], list[tuple[int, CounterSeries]]]
"""Readings by site and tunnel, and by site and range."""


def _by_site(found: Sequence[Placed[Row]], site_of: Callable[[Row], str]) -> BySite[Row]:
    out: BySite[Row] = {}
    for number, placed in enumerate(found):
        out.setdefault(site_of(placed.record), []).append((number, placed))
    return out


def _by_tunnel_and_range(found: Sequence[CounterSeries]) -> BySites:
    """Readings by their site and the tunnel they name, and by their site and each range that they reach."""
    out: BySites = {}
    for number, series in enumerate(found):
        record = series.first
        out.setdefault((record.site, "tunnel", record.tunnel), []).append((number, series))
        for text in record.remote_ts:
            out.setdefault((record.site, "range", text), []).append((number, series))
    return out


@lru_cache(4096)
def _named_site(source: str) -> str:
    """The site that a test's or ping's source names; empty for an address, which may be anybody's."""
    site, _, rest = source.partition("/")
    return "" if is_address(site) or rest.isdecimal() else site


class Index:
    """All evidence by the site, the peer or the two addresses it speaks of: gone through once, so that a thousand tunnels don't each go
    through everything."""

    def __init__(self, evidence: Evidence, own: Mapping[str, AbstractSet[str]]) -> None:
        self.evidence, self.own = evidence, own
        self._names: dict[str, frozenset[str]] = {}
        self._links: dict[str, frozenset[str]] = {}
        self._parts: dict[str, dict[int, dict[str, int]]] = {}
        self._places: dict[str, dict[int, int]] = {}
        self._tied: dict[str, frozenset[str]] = {}
        self.events: dict[str, dict[str | None, list[tuple[int, Event]]]] = {}
        for log in evidence.logs:
            by_peer = self.events.setdefault(log.file, {})
            for number, event in enumerate(log.events):
                by_peer.setdefault(event.peer, []).append((number, event))
        self.sheets = {sheet.site: sheet for sheet in evidence.sheets}
        self._alike: dict[tuple[str, str, str], list[SheetTunnel]] = {}
        for sheet in evidence.sheets:
            for tunnel in sheet.tunnel:
                for key in ((sheet.site, "to", tunnel.peer_site), (sheet.site, "at", tunnel.peer)):
                    self._alike.setdefault(key, []).append(tunnel)
        declared = {s.site: declared_tables(s, evidence.sheet_lines.get(s.site, "")) for s in evidence.sheets}
        gateways = {site: tables for (site, host), tables in evidence.tables.items() if not host}
        self.tables = {
            site: _gateway(gateways.get(site), declared.get(site), self.sheets.get(site))
            for site in dict.fromkeys((*gateways, *declared))
        }
        self.hosts: dict[str, dict[str, Tables]] = {}
        for (site, host), tables in evidence.tables.items():
            if host:
                self.hosts.setdefault(site, {})[host] = tables
        self.sites = {source.site for source in evidence.sources if source.site}
        self._tests = _by_site(evidence.tests, lambda r: _named_site(r.source))
        far = far_ranges(self.sheets)
        self._targets = {
            site: Targets(rows, far.get(site, ())) for site, rows in self._tests.items() if len(rows) >= MANY_TESTS
        }
        self.pings = _by_site(evidence.pings, lambda r: _named_site(r.source))
        self._counters = _by_tunnel_and_range(evidence.counters)
        self.happenings = _by_site(evidence.happenings, lambda r: r.site)
        self.states: dict[str, list[State]] = {}
        for state in evidence.states:
            self.states.setdefault(state.site, []).append(state)
        self.listed: dict[str, list[Listed]] = {}
        for one in evidence.listed:
            self.listed.setdefault(one.sa.site, []).append(one)
        self.drops: dict[str, list[Drop]] = {}
        for drop in evidence.drops:
            self.drops.setdefault(drop.site, []).append(drop)
        self.logs: dict[str | None, list[Log]] = {}
        for log in evidence.logs:
            self.logs.setdefault(log.site, []).append(log)
        self._datagrams: dict[frozenset[str], list[tuple[Datagrams, array[int]]]] = {}
        for capture in evidence.captures:
            for ends, numbers in capture.datagrams.by_ends().items():
                self._datagrams.setdefault(ends, []).append((capture.datagrams, numbers))

    def tunnels_to(self, site: str, peer_site: str) -> list[SheetTunnel]:
        """A site's declared tunnels to another site."""
        return self._alike.get((site, "to", peer_site), []) if peer_site else []

    def tunnels_at(self, site: str, address: str) -> list[SheetTunnel]:
        """A site's declared tunnels to a public address."""
        return self._alike.get((site, "at", address), []) if address else []

    def links_of(self, site: str) -> frozenset[str]:
        """Networks of a site's tunnel interfaces: the link between two gateways is nobody's LAN."""
        found = self._links.get(site)
        if found is None:
            sheet = self.sheets.get(site)
            devs = {t.interface for t in sheet.tunnel if t.style == "route" and t.interface} if sheet else set()
            texts = [a for i in (sheet.interface if sheet else ()) if i.name in devs for a in i.addresses]
            tables = self.evidence.tables.get((site, ""))
            nets = (
                [net for dev in (tables.tunnel_devs if tables else ()) for _, net in tables.addresses.get(dev, ())]
                if tables
                else []
            )
            found = self._links[site] = frozenset((*filter(None, map(_network, texts)), *written(nets)))
        return found

    def place_of(self, site: str, tunnel: SheetTunnel) -> int | None:
        """Which of a sheet's tunnels it is, from 0 on; None where it is none of them."""
        sheet = self.sheets.get(site)
        if sheet is None:
            return None
        if site not in self._places:
            # By identity: a sheet may hold thousands, and comparing each with each is slow.
            self._places[site] = {id(one): place for place, one in enumerate(sheet.tunnel)}
        return self._places[site].get(id(tunnel))

    def parts_of(self, sheet: SiteSheet) -> dict[int, dict[str, int]]:
        """Lines of the parts of every tunnel in a sheet, by the tunnel's place and the part's path within it."""
        known = self._parts.get(sheet.site)
        if known is None:
            known = self._parts[sheet.site] = {}
            for path, line in sheet.lines.items():
                table, _, rest = path.partition(".")
                number, _, key = rest.partition(".")
                if table == "tunnel" and key and number.isdecimal():
                    known.setdefault(int(number), {})[key] = line
        return known

    def records(self, found: BySite[Row], left: str, right: str) -> list[Placed[Row]]:
        """Those that name either end's site, and those that name an address alone, in the order in which they were read."""
        mine = [pair for site in ("", left, right) for pair in found.get(site, ())]
        return [placed for _, placed in sorted(mine, key=lambda pair: pair[0])]

    def tests(self, ends: Sequence[tuple[str, Sequence[Interval]]]) -> list[Placed[TestRecord]]:
        """Tests that name one of two sites, each with what lies behind the other one, or an address alone, in the order in which they were
        read. Of a site with many tests those to other tunnels' ranges are left out."""
        mine = list(self._tests.get("", ()))
        for site, ranges in ends:
            held = self._targets.get(site)
            mine += held.of(ranges) if held is not None else self._tests.get(site, ())
        return [placed for _, placed in sorted(dict(mine).items())]

    def counters(self, site: str, names: AbstractSet[str], ranges: AbstractSet[str]) -> list[CounterSeries]:
        """A site's readings that name one of some tunnels, or that reach one of some ranges, in the order in which they were read."""
        keys = [(site, "tunnel", name) for name in names] + [(site, "range", text) for text in ranges]
        lists = [found for key in keys if (found := self._counters.get(key))]
        if len(lists) == 1:
            return [series for _, series in lists[0]]
        both = {number: series for found in lists for number, series in found}
        return [both[number] for number in sorted(both)]

    def tunnel_names(self, site: str) -> AbstractSet[str]:
        """Names of a site's declared tunnels."""
        if site not in self._names:
            sheet = self.sheets.get(site)
            self._names[site] = frozenset(t.name for t in sheet.tunnel) if sheet is not None else frozenset()
        return self._names[site]

    def about(self, file: str, peers: AbstractSet[str]) -> list[Event]:
        """A log's events about some peers, in the order of its lines."""
        by_peer = self.events.get(file, {})
        found = [pair for peer in peers for pair in by_peer.get(peer, ())]
        return [event for _, event in sorted(found, key=lambda pair: pair[0])]

    def tied(self, log: Log) -> AbstractSet[str]:
        """Names in a log's records that some record of it gives an address."""
        if log.file not in self._tied:
            self._tied[log.file] = frozenset(e.conn for e in log.events if e.peer and e.conn)
        return self._tied[log.file]

    def between(self, left: AbstractSet[str], right: AbstractSet[str]) -> Gathered:
        """Packets from any of some addresses to any of others, either way."""
        pairs = dict.fromkeys(frozenset((a, b)) for a in sorted(left) for b in sorted(right))
        return Gathered(part for pair in pairs for part in self._datagrams.get(pair, ()))


def _network(text: str) -> str:
    try:
        return str(ipaddress.ip_interface(text).network)
    except ValueError:
        return ""


def _gateway(seen: Tables | None, declared: Tables | None, sheet: SiteSheet | None) -> Tables | None:
    """The system's own tables where there are any, completed by what the sheet says; else the sheet's alone.

    A kind of table that nobody gave is the sheet's: a filter without routes takes no interface away.
    """
    if seen is not None and (seen.routes or seen.chains):
        if declared is None:
            return seen
        whole = replace(
            seen,
            addresses=seen.addresses or declared.addresses,
            tunnel_devs=seen.tunnel_devs or declared.tunnel_devs,
            routes=seen.routes or declared.routes,
            chains=seen.chains or declared.chains,
            zones=seen.zones or declared.zones,
        )
        if seen.policies:
            return whole
        policies = tuple(policy_on(whole, policy) for policy in declared.policies)
        return replace(whole, policies=policies, translation_first=declared.translation_first)
    if sheet is not None and (sheet.route or sheet.translation or sheet.filter):
        return declared
    return None
