"""Evidence to one picture per tunnel: what belongs to which tunnel and to which of its ends."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import TypeVar

from stomion.case.evidence import Evidence, Log, Placed
from stomion.exchange.clock import clock_from_logs, clock_offset
from stomion.exchange.negotiation import MAX_STEPS, Post, assemble
from stomion.exchange.story import read_story
from stomion.model.event import Event, What
from stomion.model.packet import Datagram
from stomion.model.provenance import Problem, Provenance
from stomion.model.record import EventRecord, PingRecord
from stomion.model.site import SheetTunnel
from stomion.space.axis import address_number, address_text
from stomion.tunnel.lans import lans_of, meets, without_any
from stomion.tunnel.pairing import Plan, from_declarations, from_evidence, from_sheets, own_addresses
from stomion.tunnel.picture import End, EspSeen, LanTest, LinkEvent, Picture, PingSeries
from stomion.vocabulary.algorithms import model_proposal
from stomion.vocabulary.times import rfc3339_seconds
from stomion.walk.declared import declared_tables, policy_on


def pictures(evidence: Evidence) -> list[Picture]:
    """All tunnels of a case, in the order they were declared or seen."""
    own = own_addresses(evidence)
    plans = from_sheets(evidence, own)
    from_declarations(evidence, plans)
    from_evidence(evidence, own, plans)
    index = _Index(evidence)
    tunnels_of = Counter(site for plan in plans for site in (plan.left, plan.right))
    return [_picture(plan, evidence, tunnels_of, index) for plan in plans]


Row = TypeVar("Row")
BySite = dict[str, list[tuple[int, Placed[Row]]]]
"""Records by the site they name, each with its place in the order in which all were read."""


def _by_site(found: Sequence[Placed[Row]], site_of: Callable[[Row], str]) -> BySite[Row]:
    out: BySite[Row] = {}
    for number, placed in enumerate(found):
        out.setdefault(site_of(placed.record), []).append((number, placed))
    return out


def _named_site(source: str) -> str:
    """The site that a test's or ping's source names; empty for an address, which may be anybody's."""
    site, _, rest = source.partition("/")
    return "" if _is_address(site) or rest.isdigit() else site


def _is_address(text: str) -> bool:
    try:
        address_number(text)
    except ValueError:
        return False
    return True


class _Index:
    """All evidence by the site, the peer or the two addresses it speaks of: gone through once, so that a thousand tunnels don't each go
    through everything."""

    def __init__(self, evidence: Evidence) -> None:
        self.events: dict[str, dict[str | None, list[tuple[int, Event]]]] = {}
        for log in evidence.logs:
            by_peer = self.events.setdefault(log.file, {})
            for number, event in enumerate(log.events):
                by_peer.setdefault(event.peer, []).append((number, event))
        self.sheets = {sheet.site: sheet for sheet in evidence.sheets}
        self.declared = {s.site: declared_tables(s, evidence.sheet_lines.get(s.site, "")) for s in evidence.sheets}
        self.sites = {source.site for source in evidence.sources if source.site}
        self.tests = _by_site(evidence.tests, lambda r: _named_site(r.source))
        self.pings = _by_site(evidence.pings, lambda r: _named_site(r.source))
        self.counters = _by_site(evidence.counters, lambda r: r.site)
        self.happenings = _by_site(evidence.happenings, lambda r: r.site)
        self.logs: dict[str | None, list[Log]] = {}
        for log in evidence.logs:
            self.logs.setdefault(log.site, []).append(log)
        self.datagrams: dict[frozenset[str], list[Datagram]] = {}
        for capture in evidence.captures:
            for item in capture.datagrams:
                self.datagrams.setdefault(frozenset((item.src, item.dst)), []).append(item)

    def records(self, found: BySite[Row], picture: Picture) -> list[Placed[Row]]:
        """Those that name either end's site, and those that name an address alone, in the order in which they were read."""
        mine = [pair for site in ("", picture.left.site, picture.right.site) for pair in found.get(site, ())]
        return [placed for _, placed in sorted(mine, key=lambda pair: pair[0])]

    def about(self, file: str, peers: set[str]) -> list[Event]:
        """A log's events about some peers, in the order of its lines."""
        by_peer = self.events.get(file, {})
        found = [pair for peer in peers for pair in by_peer.get(peer, ())]
        return [event for _, event in sorted(found, key=lambda pair: pair[0])]

    def between(self, left: set[str], right: set[str]) -> list[Datagram]:
        """Packets from any of some addresses to any of others, either way."""
        return [d for a in left for b in right for d in self.datagrams.get(frozenset((a, b)), ())]


def _picture(plan: Plan, evidence: Evidence, tunnels_of: Counter[str], index: _Index) -> Picture:
    left = _end(plan.left, plan.left_addresses, plan.left_sheet, evidence, index)
    right = _end(plan.right, plan.right_addresses, plan.right_sheet, evidence, index)
    picture = Picture(plan.name, left, right)
    shares = tunnels_of[plan.left] + tunnels_of[plan.right] > 2
    for end in (left, right):
        _attach_tables(end, evidence, index)
    _learn_translated(left, right, index, shares)
    _learn_translated(right, left, index, shares)
    for end, other in ((left, right), (right, left)):
        _attach_log(end, other, index, alone=tunnels_of[end.site] == 1)
    _attach_packets(picture, evidence, index)
    _attach_tests(picture, evidence, index)
    _attach_counters(picture, index)
    _attach_links(picture, index, only=tunnels_of.total() == 2)
    _attach_pings(picture, index)
    return picture


def _end(site: str, addresses: set[str], sheet: SheetTunnel | None, evidence: Evidence, index: _Index) -> End:
    known = set(addresses)
    if not known:
        known = set(evidence.addresses.get(site, ()))
    end = End(site, known, set(evidence.networks.get(site, ())), sheet, evidence.sheet_lines.get(site, ""))
    if sheet is not None:
        whole = index.sheets.get(site)
        for other in whole.tunnel if whole is not None else ():
            if other is not sheet and other.peer_site and other.peer_site == sheet.peer_site:
                end.networks |= without_any(other.local_ts)
        end.sheet_line = _sheet_line(site, sheet, index)
        end.ike_proposals = tuple(model_proposal(p, "IKE") for p in sheet.ike_proposal)
        end.child_proposals = tuple(model_proposal(p, "ESP") for p in sheet.esp_proposal)
    return end


def _attach_tables(end: End, evidence: Evidence, index: _Index) -> None:
    """The system's own tables where there are any, completed by what the sheet says; else the sheet's alone."""
    sheet = index.sheets.get(end.site)
    declared = index.declared.get(end.site)
    seen = evidence.tables.get((end.site, ""))
    end.hosts = {host: tables for (site, host), tables in evidence.tables.items() if site == end.site and host}
    if seen is not None and (seen.routes or seen.chains):
        if not seen.policies and declared is not None and sheet is not None:
            seen.policies = [policy_on(seen, policy) for policy in declared.policies]
            seen.translation_first = declared.translation_first
            seen.zones = seen.zones or declared.zones
        end.tables = seen
    elif declared is not None and sheet is not None and (sheet.route or sheet.translation or sheet.filter):
        end.tables = declared


def _sheet_line(site: str, tunnel: SheetTunnel, index: _Index) -> int:
    """The line at which a tunnel begins in its site's sheet."""
    sheet = index.sheets.get(site)
    if sheet is None or tunnel not in sheet.tunnel:
        return 1
    return sheet.lines.get(f"tunnel.{sheet.tunnel.index(tunnel)}") or 1


def _learn_translated(end: End, other: End, index: _Index, shares: bool) -> None:
    """An address translation on the way gives the other end a second address, as this end's log and packets show it.

    Only where this end has no other tunnel, and only for a peer that authenticated: a stranger never does.
    """
    if shares:
        return
    for log in index.logs.get(end.site, ()):
        for event in log.events:
            if event.what in (What.IKE_UP, What.AUTH_OK) and event.peer and event.peer not in end.addresses:
                other.addresses.add(event.peer)


def _attach_log(end: End, other: End, index: _Index, alone: bool) -> None:
    for log in index.logs.get(end.site, ()):
        end.has_log = True
        near = log.events if alone else index.about(log.file, other.addresses | end.addresses)
        end.events.extend(e for e in near if _concerns(e, end, other, alone))
    end.story = read_story(end.events)


def _concerns(event: Event, end: End, other: End, alone: bool) -> bool:
    if event.peer is None:
        return alone
    if event.peer in other.addresses:
        return event.own is None or event.own in end.addresses or not end.addresses or alone
    if event.peer in end.addresses:
        return event.own in other.addresses or (alone and event.own is None)
    # An address nobody knows: with no address for the other end at all it can only be that end's.
    return alone and not other.addresses


def _attach_packets(picture: Picture, evidence: Evidence, index: _Index) -> None:
    left, right = picture.left.addresses, picture.right.addresses
    for capture in evidence.captures:
        for end in picture.ends:
            if capture.site == end.site:
                end.captures.append(capture.file)
        picture.unreachables.extend(u for u in capture.unreachables if {u.src, u.dst} & left and {u.src, u.dst} & right)
        for flow in capture.esp.values():
            if flow.src in left and flow.dst in right:
                picture.esp_out += flow.packets
            elif flow.src in right and flow.dst in left:
                picture.esp_back += flow.packets
            else:
                continue
            picture.esp_last = max(picture.esp_last, flow.last)
    picture.esp_seen = _esp_seen(picture, evidence)
    watched = {c.site for c in evidence.captures if c.packets}
    posts = tuple(Post(e.site, frozenset(e.addresses), e.site in watched) for e in picture.ends)
    picture.negotiations = assemble(index.between(left, right), evidence.keys, posts)
    for n in picture.negotiations:
        if n.dropped:
            text = (
                f"{n.dropped:,} messages of the IKE SA {n.spi_i.hex()} beyond its first {MAX_STEPS:,} are not looked at"
            )
            picture.cuts.append(Problem(n.steps[-1].where.file, text))
    picture.clock = clock_offset(picture.negotiations, picture.left.site, picture.right.site) or clock_from_logs(
        picture.left.events, picture.right.events
    )


def _esp_seen(picture: Picture, evidence: Evidence) -> list[EspSeen]:
    """What left one end against what came in at the other, per direction."""
    found = []
    for from_left, sender, receiver in ((True, picture.left, picture.right), (False, picture.right, picture.left)):
        sent: Counter[int] = Counter()
        got: Counter[int] = Counter()
        leaving = [
            (capture.file, flow)
            for capture in evidence.captures
            for flow in capture.esp.values()
            if capture.site == sender.site and flow.src in sender.addresses and flow.dst in receiver.addresses
        ]
        # A translation on the way changes addresses and leaves the SPI.
        spis = {flow.spi for _, flow in leaving}
        coming = [
            (c.file, f) for c in evidence.captures if c.site == receiver.site for f in c.esp.values() if f.spi in spis
        ]
        for _, flow in leaving:
            sent.update(flow.sizes)
        for _, flow in coming:
            got.update(flow.sizes)
        files = tuple(dict.fromkeys(file for file, _ in (*leaving, *coming)))
        watched = any(c.site == receiver.site and c.packets for c in evidence.captures)
        if sent:
            found.append(EspSeen(from_left, dict(sent), dict(got) if watched else None, files))
    return found


def _attach_tests(picture: Picture, evidence: Evidence, index: _Index) -> None:
    for placed in index.records(index.tests, picture):
        record = placed.record
        end = _site_of(record.source, picture)
        if end is None or not meets(record.to, lans_of(picture.other(end), end)):
            continue
        picture.tests.append(
            LanTest(
                end is picture.left,
                record.received > 0,
                record.expected != "blocked",
                rfc3339_seconds(record.at),
                placed.where(end.site),
                record.service,
                _host_address(record.source, end, picture.other(end)),
                record.to,
                record.source,
                record.error,
            )
        )
    for source, to, service, outcome, line in evidence.expects:
        end = _site_of(source, picture)
        other = picture.other(end) if end is not None else None
        if end is None or other is None:
            continue
        address = _host_address(to, other, end) or to
        if not meets(address, lans_of(other, end)):
            continue
        picture.expected.append(
            LanTest(
                end is picture.left, False, outcome == "reach", None, Provenance("case.toml", None, line=line or None), service,
                _host_address(source, end, other), address, source, seen=False,
            )
        )  # fmt: skip


def _host_address(name: str, end: End, other: End) -> str:
    """A host's address: as it is written, or by its name from the host's own tables."""
    site, _, host = name.partition("/")
    if not host or (host.isdigit() and site != end.site):
        return "" if site == end.site else name
    found = end.hosts.get(host)
    numbers = [own for dev, rows in found.addresses.items() if dev != "lo" for own, _ in rows] if found else []
    return next((address_text(n) for n in numbers if meets(address_text(n), lans_of(end, other))), "")


def _attach_links(picture: Picture, index: _Index, only: bool) -> None:
    """Links at either end; one elsewhere counts where it can only be this tunnel's path, as there is no other."""
    ends = {e.site for e in picture.ends}
    elsewhere = [s for s in index.happenings if s not in ends and s not in index.sites] if only else []
    found = [p for site in (*ends, *elsewhere) for p in index.happenings.get(site, ())]
    for _, placed in sorted(found, key=lambda pair: pair[0]):
        record = placed.record
        if record.what in ("link-down", "link-up") and _beneath(record, picture, index):
            where = placed.where(record.site)
            picture.link_events.append(
                LinkEvent(record.site, record.what == "link-up", rfc3339_seconds(record.at), where, record.subject)
            )


def _beneath(record: EventRecord, picture: Picture, index: _Index) -> bool:
    """Is the named link the one the tunnel runs over? An interface that the sheet gives another address is not."""
    end = next((e for e in picture.ends if e.site == record.site), None)
    sheet = index.sheets.get(record.site)
    named = next((i for i in sheet.interface if i.name == record.subject), None) if sheet else None
    if end is None or named is None or not end.address:
        return True
    return any(address.split("/")[0] in end.addresses for address in named.addresses)


def _attach_pings(picture: Picture, index: _Index) -> None:
    """Continuous pings between hosts of the two sites, one series for each pair of hosts."""
    found: dict[tuple[str, str], list[Placed[PingRecord]]] = {}
    for placed in index.records(index.pings, picture):
        found.setdefault((placed.record.source, placed.record.to), []).append(placed)
    for (source, to), probes in found.items():
        end = _site_of(source, picture)
        if end is None or not meets(to, lans_of(picture.other(end), end)):
            continue
        first_lost = next((p for p in probes if p.record.rtt_ms is None), probes[0])
        picture.pings.append(
            PingSeries(
                source, to, end is picture.left, tuple(p.record.rtt_ms is not None for p in probes),
                tuple(rfc3339_seconds(p.record.at) for p in probes), first_lost.where(end.site),
            )
        )  # fmt: skip


def _site_of(source: str, picture: Picture) -> End | None:
    """The end behind which a test's source stands: by its site's name, else by its address."""
    site, slash, rest = source.partition("/")
    if slash and not rest.isdigit():
        return next((e for e in picture.ends if e.site == site), None)
    return next((e for e in picture.ends if site == e.site or meets(source, lans_of(e, picture.other(e)))), None)


def _attach_counters(picture: Picture, index: _Index) -> None:
    """The highest reading of every SA at either end; a sum over SAs is what the tunnel carried."""
    names = {e.sheet.name for e in picture.ends if e.sheet} | {picture.name}
    for end in picture.ends:
        best: dict[str, tuple[int, int]] = {}
        for _, placed in index.counters.get(end.site, ()):
            record = placed.record
            if record.tunnel not in names and not _selects(record.remote_ts, picture, end):
                continue
            end.has_counters = True
            out, back = best.get(record.spi_out, (0, 0))
            best[record.spi_out] = (max(out, record.packets_out), max(back, record.packets_in))
        end.out_packets = sum(out for out, _ in best.values())
        end.in_packets = sum(back for _, back in best.values())


def _selects(remote_ts: tuple[str, ...], picture: Picture, end: End) -> bool:
    other = picture.other(end)
    return any(ts in other.networks for ts in remote_ts)
