"""One end of a tunnel from the evidence: its addresses, its sheet, its tables, its log and its counters."""

from __future__ import annotations

from collections.abc import Set as AbstractSet
from dataclasses import replace

from stomion.exchange.story import read_story
from stomion.measure.columns import highest
from stomion.measure.counters import Readings
from stomion.measure.series import CounterSeries
from stomion.model.event import Event, What
from stomion.model.site import SheetTunnel
from stomion.tunnel.counterparts import seconds_of
from stomion.tunnel.dropped import dropped_by
from stomion.tunnel.index import Index
from stomion.tunnel.lans import without_any
from stomion.tunnel.picture import End
from stomion.tunnel.plan import Plan, is_knock
from stomion.tunnel.rivals import divided, rivals_of
from stomion.tunnel.sas import listed_pairs, own_listed, sas_of, stands, with_listed, with_own
from stomion.vocabulary.algorithms import model_proposal


def ends_of(plan: Plan, index: Index, shares: bool, alone: tuple[bool, bool]) -> tuple[End, End]:
    """Both ends of a planned tunnel. `shares`: one of the sites has other tunnels too; `alone`: this is a site's only one."""
    left = _end(plan.left, plan.left_addresses, plan.left_sheet, index)
    right = _end(plan.right, plan.right_addresses, plan.right_sheet, index)
    if not shares:
        right = replace(right, addresses=right.addresses | _translated(left, right, index) - plan.apart)
        left = replace(left, addresses=left.addresses | _translated(right, left, index) - plan.apart)
    names = {e.sheet.name for e in (left, right) if e.sheet} | {plan.name}
    return _heard(left, right, index, alone[0], names, plan.apart), _heard(
        right, left, index, alone[1], names, plan.apart
    )


def _end(site: str, addresses: set[str], sheet: SheetTunnel | None, index: Index) -> End:
    """Who it is: without anything that was seen to happen there."""
    evidence = index.evidence
    end = End(
        site,
        frozenset(addresses or evidence.addresses.get(site) or ()),
        frozenset(evidence.networks.get(site) or ()) - index.links_of(site),
        frozenset(addresses) - index.own.get(site, set()),
        sheet,
        evidence.sheet_lines.get(site, ""),
        tables=index.tables.get(site),
        hosts=index.hosts.get(site, {}),
    )
    if sheet is None:
        return end
    twins = [t for t in index.tunnels_to(site, sheet.peer_site) if t is not sheet]
    return replace(
        end,
        networks=end.networks.union(*(without_any(t.local_ts) for t in twins)),
        sheet_line=_sheet_line(site, sheet, index),
        sheet_lines=_sheet_lines(site, sheet, index),
        ike_proposals=tuple(model_proposal(p, "IKE") for p in sheet.ike_proposal),
        child_proposals=tuple(model_proposal(p, "ESP") for p in sheet.esp_proposal),
    )


def _sheet_line(site: str, tunnel: SheetTunnel, index: Index) -> int:
    """The line at which a tunnel begins in its site's sheet."""
    sheet, place = index.sheets.get(site), index.place_of(site, tunnel)
    return 1 if sheet is None or place is None else sheet.lines.get(f"tunnel.{place}") or 1


def _sheet_lines(site: str, tunnel: SheetTunnel, index: Index) -> dict[str, int]:
    """Lines of the tunnel's parts by their path within it."""
    sheet, place = index.sheets.get(site), index.place_of(site, tunnel)
    return {} if sheet is None or place is None else index.parts_of(sheet).get(place, {})


def _translated(end: End, other: End, index: Index) -> frozenset[str]:
    """An address translation on the way gives the other end a second address, as this end's log and packets show it.

    Only for a peer that authenticated: a stranger never does.
    """
    events = [event for log in index.logs.get(end.site, ()) for event in log.events]
    peers: dict[str, set[str]] = {}
    for event in events:
        if event.peer and event.conn and "=" in event.conn:
            peers.setdefault(event.conn, set()).add(event.peer)
    met = [
        event
        for event in events
        if event.what in (What.IKE_UP, What.AUTH_OK)
        and event.peer
        and event.peer not in end.addresses
        # Where records name whose they are, a tunnel of its own has an address of its own.
        and len(peers.get(event.conn or "", "two")) > 1
    ]
    if met and end.sheet is None and other.site in index.logs:
        met = _told_there(met, end, other, index)
    return frozenset(event.peer for event in met if event.peer)


def _told_there(met: list[Event], end: End, other: End, index: Index) -> list[Event]:
    """Without a sheet a peer at another address may be another tunnel's: it is the other end by another name where that end's log tells of
    the same moment."""
    theirs = (event for log in index.logs[other.site] for event in log.events)
    there = seconds_of(event for event in theirs if event.peer in end.addresses or event.peer is None)
    return [event for event in met if seconds_of([event]) & there]


def _heard(end: End, other: End, index: Index, alone: bool, names: set[str], apart: AbstractSet[str]) -> End:
    """The end with what was taken there: log, captures, counters."""
    logs = index.logs.get(end.site, ())
    events: list[Event] = []
    for log in logs:
        near = log.events if alone else index.about(log.file, other.addresses | end.addresses)
        tied = index.tied(log)
        events.extend(e for e in near if _concerns(e, end, other, alone, apart) and not _of_another(e, tied))
    rivals = rivals_of(index.tunnels_at(end.site, end.sheet.peer), end.sheet) if end.sheet is not None else ()
    open_: list[Event] = []
    if rivals and end.sheet is not None:
        events, open_ = divided(events, end.sheet, rivals)
    read = _readings(end, other, index, names)
    story = read_story(events)
    listed = listed_pairs(end.site, end.addresses, other.addresses, index.states.get(end.site, ()))
    own = own_listed(end, other, index.listed.get(end.site, ()), index.tunnel_names(end.site), alone)
    out, back = _counted(read)
    return replace(
        end,
        has_log=any(log.events for log in logs),
        mute_logs=tuple(log.file for log in logs if not log.events),
        events=tuple(events),
        story=story,
        rivals=tuple(r.name for r in rivals),
        open_lines=tuple(e.where for e in open_),
        captures=tuple(c.file for c in index.evidence.captures if c.site == end.site),
        has_counters=bool(read) or bool(listed) or any(map(stands, own)),
        out_packets=out,
        in_packets=back,
        readings=Readings.of_series(read),
        series=tuple(read),
        sas=with_own(with_listed(sas_of(end.site, story, events, read), listed), own),
        dropped=dropped_by(index.states.get(end.site, ()), index.drops.get(end.site, ()), other.addresses),
    )


def _of_another(event: Event, tied: AbstractSet[str]) -> bool:
    """Is it of a record that names whose it is (`key=value`), which is nobody's of whom the log tells an address, while others' are?"""
    return event.peer is None and event.conn is not None and "=" in event.conn and bool(tied) and event.conn not in tied


def _concerns(event: Event, end: End, other: End, alone: bool, apart: AbstractSet[str]) -> bool:
    if event.peer is None:
        return alone
    if event.peer in other.addresses:
        return event.own is None or event.own in end.addresses or not end.addresses or alone
    if event.peer in end.addresses:
        return event.own in other.addresses or (alone and event.own is None)
    # An address nobody knows: with no address for the other end at all it can only be that end's, save a knock from just any port.
    return alone and not other.addresses and event.peer not in apart and not is_knock(event)


def _readings(end: End, other: End, index: Index, names: set[str]) -> list[CounterSeries]:
    """Readings of the tunnel's counters: those that name it, else those whose far range is behind the other end."""
    known = index.tunnel_names(end.site)
    found = index.counters(end.site, names - {""}, other.networks)
    return [s for s in found if s.first.tunnel in names or s.first.tunnel not in known]


def _counted(found: list[CounterSeries]) -> tuple[int, int]:
    """(packets out, packets in): the highest reading of every SA; a sum over SAs is what the tunnel carried."""
    best: dict[str, tuple[int, int]] = {}
    for series in found:
        out, back = best.get(series.first.spi_out, (0, 0))
        best[series.first.spi_out] = (max(out, highest(series.out)), max(back, highest(series.back)))
    return sum(out for out, _ in best.values()), sum(back for _, back in best.values())
