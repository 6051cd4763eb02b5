"""What a case holds and no tunnel's judgement rests on: nothing that was given is dropped in silence."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from stomion.case.evidence import Evidence, Log
from stomion.jobs.examine import Examined
from stomion.model.event import Event
from stomion.model.provenance import Provenance
from stomion.model.record import NEIGHBOUR_EVENTS
from stomion.tunnel.picture import Picture
from stomion.tunnel.plan import is_knock


@dataclass(frozen=True, slots=True)
class Unused:
    """One thing that was read and is of no use for any tunnel: where it stands, what it is, and why."""

    file: str
    line: int | None
    text: str
    why: str


def unused(examined: Examined) -> tuple[Unused, ...]:
    """In the order in which the files were read; what is alike stands once, with how often it is there."""
    evidence, pictures = examined.evidence, [d.picture for d in examined.tunnels]
    found = [*_files(evidence), *_strangers(evidence, pictures), *_records(evidence, pictures)]
    alike: dict[tuple[str, str, str], list[Unused]] = {}
    for one in found:
        alike.setdefault((one.file, one.text, one.why), []).append(one)
    return tuple(
        Unused(rows[0].file, rows[0].line, text + (f", {len(rows):,} times" if len(rows) > 1 else ""), why)
        for (_, text, why), rows in alike.items()
    )


def _files(evidence: Evidence) -> Iterator[Unused]:
    for source in evidence.sources:
        if not source.used:
            yield Unused(source.file, None, source.kind, "it is recognised, and nothing is concluded from it yet")
    for log in evidence.logs:
        if not log.events:
            yield Unused(log.file, None, _lines(log), "not one of them is understood as telling of a negotiation")


def _strangers(evidence: Evidence, pictures: list[Picture]) -> Iterator[Unused]:
    """Lines about a peer that no tunnel has, by peer; knocks from just any port are left out."""
    taken = {e.where for p in pictures for end in p.ends for e in end.events}
    known = {a for p in pictures for end in p.ends for a in end.addresses}
    for log in evidence.logs:
        lines: dict[str, list[Event]] = {}
        for event in log.events:
            if event.peer and event.peer not in known and event.where not in taken and not is_knock(event):
                lines.setdefault(event.peer, []).append(event)
        for peer, events in lines.items():
            many = "1 line" if len(events) == 1 else f"{len(events):,} lines"
            yield Unused(
                log.file, events[0].where.line, f"{many} about {peer}", "no tunnel of this case has this address"
            )


def _lines(log: Log) -> str:
    return "1 line" if log.lines == 1 else f"{log.lines:,} lines"


def _records(evidence: Evidence, pictures: list[Picture]) -> Iterator[Unused]:
    """Tests, pings, counters, happenings and expected flows that no picture took."""
    taken = {place for p in pictures for place in _taken(p)}
    sites = {e.site for p in pictures for e in p.ends}
    for test in evidence.tests:
        r = test.record
        if (test.file, test.line) not in taken:
            yield Unused(test.file, test.line, f"test from {r.source} to {r.to}", _why_no_flow(r.source, sites))
    series = {(p.source, p.to) for picture in pictures for p in picture.pings}
    for ping in evidence.pings:
        if (ping.record.source, ping.record.to) not in series:
            text = f"ping from {ping.record.source} to {ping.record.to}"
            yield Unused(ping.file, ping.line, text, _why_no_flow(ping.record.source, sites))
    yield from _counters(evidence, pictures)
    listed = {spi for p in pictures for end in p.ends for sa in end.sas for spi in (sa.spi_in, sa.spi_out)}
    for state in evidence.states:
        if state.spi not in listed:
            text = f"SA {state.spi} from {state.src} to {state.dst}"
            yield Unused(state.where.file, state.where.line, text, "no tunnel of this case is between these addresses")
    shown = {sa.where for p in pictures for end in p.ends for sa in end.sas}
    for one in evidence.listed:
        if one.sa.where is not None and one.sa.where not in shown and one.sa.spi_in not in listed:
            text = (
                f"SA {one.sa.spi_in or 'without an SPI'} towards {', '.join(one.peers) or one.name or 'nobody named'}"
            )
            yield Unused(one.sa.where.file, one.sa.where.line, text, "no tunnel of that site has this peer or name")
    yield from _neighbours(evidence, taken)
    for event in evidence.happenings:
        if (event.file, event.line) not in taken and event.record.what not in NEIGHBOUR_EVENTS:
            text = f"event {event.record.what}" + (f" at {event.record.site}" if event.record.site else "")
            yield Unused(event.file, event.line, text, "it is no link that a tunnel runs over")
    for source, to, service, _, line in evidence.expects:
        if ("case.toml", line or None) not in taken:
            yield Unused(
                "case.toml", line or None, f"expected flow {service} from {source} to {to}", _why_no_flow(source, sites)
            )


def _neighbours(evidence: Evidence, taken: set[tuple[str, int | None]]) -> Iterator[Unused]:
    """What was told of routing neighbours, those of one address as one: a gateway's log has them by the thousand."""
    found: dict[tuple[str, str, str], list[int | None]] = {}
    for event in evidence.happenings:
        r = event.record
        if r.what in NEIGHBOUR_EVENTS and (event.file, event.line) not in taken:
            found.setdefault((event.file, r.site, r.subject), []).append(event.line)
    for (file, site, address), lines in found.items():
        many = "1 event" if len(lines) == 1 else f"{len(lines):,} events"
        text = f"{many} of the routing neighbour {address or 'that has no address'}" + (f" at {site}" if site else "")
        yield Unused(file, lines[0], text, "no tunnel of that site leads to this address")


def _counters(evidence: Evidence, pictures: list[Picture]) -> Iterator[Unused]:
    """Readings of counters, those of one SA as one."""
    used = {id(series) for p in pictures for end in p.ends for series in end.series}
    for series in evidence.counters:
        if id(series) not in used:
            named = series.first.tunnel or " and ".join(series.first.remote_ts) or "no tunnel"
            many = f"{len(series.at):,} readings of the counters" if len(series.at) > 1 else "counters"
            text = f"{many} of {named} at {series.site}"
            yield Unused(series.file, series.lines[0], text, "no tunnel of that site has this name or range")


def _why_no_flow(source: str, sites: set[str]) -> str:
    site = source.partition("/")[0]
    if site in sites:
        return "the target is in no range of that site's tunnels"
    return f"{site} is no end of a tunnel, and behind none"


def _taken(picture: Picture) -> Iterator[tuple[str, int | None]]:
    """Places of all records that a picture holds."""
    flows = (*picture.tests, *picture.near, *picture.outside, *picture.internet, *picture.expected)
    places: list[Provenance] = [t.where for t in flows]
    places += [e.where for e in picture.link_events] + [c.where for c in picture.changes]
    places += [c.where for near in picture.adjacencies for c in near.changes]
    if any(end.sheet is not None and end.sheet.role for end in picture.ends):
        places += [m.where for m in picture.moves]
    return ((p.file, p.line) for p in places)
