"""Evidence to one picture per tunnel: what belongs to which tunnel and to which of its ends."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from enum import Enum, auto

from stomion.case.evidence import EspFlow, Evidence, Placed
from stomion.exchange.clock import clock_from_logs, clock_offset
from stomion.exchange.negotiation import MAX_STEPS, Negotiation
from stomion.measure.esporder import Order, compared
from stomion.model.provenance import Problem, Provenance
from stomion.model.record import EventRecord, PingRecord, TestRecord
from stomion.space.axis import address_text
from stomion.space.ranges import PRIVATE, spans
from stomion.tunnel.adjacency import adjacencies
from stomion.tunnel.baseline import step_of
from stomion.tunnel.beside import with_neighbours
from stomion.tunnel.ends import ends_of
from stomion.tunnel.index import Index
from stomion.tunnel.lans import lans_of, meets
from stomion.tunnel.messages import negotiations_of
from stomion.tunnel.pairing import from_declarations, from_evidence, from_sheets, own_addresses
from stomion.tunnel.picture import Change, End, EspSeen, LanTest, LinkEvent, Picture, PingSeries
from stomion.tunnel.plan import Plan
from stomion.vocabulary.times import rfc3339_seconds

MOST_TUNNELS = 10_000


def pictures(evidence: Evidence, check: Callable[[], None] = lambda: None, most: int | None = None) -> list[Picture]:
    """All tunnels of a case, in the order they were declared or seen; no more than `most` (or MOST_TUNNELS), which is said.

    Raises what `check` raises, which is asked before each."""
    own = own_addresses(evidence)
    plans = from_sheets(evidence, own)
    from_declarations(evidence, plans)
    from_evidence(evidence, own, plans)
    most = MOST_TUNNELS if most is None else most
    if len(plans) > most:
        evidence.problems.append(Problem(evidence.title, f"{len(plans):,} tunnels; the first {most:,} are looked at"))
        del plans[most:]
    index = Index(evidence, own)
    tunnels_of = Counter(site for plan in plans for site in (plan.left, plan.right))
    found = []
    for plan in plans:
        check()
        found.append(_picture(plan, tunnels_of, index))
    taken = {t.where for p in found for t in p.tests}
    found = [replace(p, outside=tuple(t for t in p.outside if t.where not in taken)) if p.outside else p for p in found]
    return with_neighbours(found)


def _picture(plan: Plan, tunnels_of: Counter[str], index: Index) -> Picture:
    evidence = index.evidence
    here, there = tunnels_of[plan.left], tunnels_of[plan.right]
    left, right = ends_of(plan, index, here + there > 2, (here == 1, there == 1))
    ends = Picture(plan.name, left, right)
    shared = any(e.rivals for e in ends.ends)
    # Behind a shared address a negotiation is anybody's, and ESP is whose SPIs a log names.
    every = negotiations_of(ends, index)
    negotiations = () if shared else every
    out, back, last = _esp_counted(
        ends, evidence, {s for e in left.events + right.events for s in e.spis} if shared else None
    )
    tests = _tests(ends, index)
    adjacent = tuple(adjacencies(ends, index))
    clock = clock_offset(negotiations, left.site, right.site) or clock_from_logs(left.events, right.events)
    return replace(
        ends,
        negotiations=negotiations,
        unreachables=tuple(
            u
            for capture in evidence.captures
            for u in capture.unreachables
            if {u.src, u.dst} & left.addresses and {u.src, u.dst} & right.addresses
        ),
        esp_out=out,
        esp_back=back,
        esp_last=last,
        esp_seen=_esp_seen(ends, evidence),
        tests=tests[_Kind.BETWEEN],
        near=tests[_Kind.NEAR],
        outside=tests[_Kind.OUTSIDE],
        aside=tests[_Kind.ASIDE],
        internet=(*tests[_Kind.INTERNET], *_expected_beyond(ends, evidence)),
        expected=tuple(_expected(ends, evidence)),
        link_events=tuple(_links(ends, index, only=tunnels_of.total() == 2)),
        changes=tuple(_changes(ends, index)),
        moves=(*_moves(ends, index), *(change for near in adjacent for change in near.changes)),
        adjacencies=adjacent,
        pings=tuple(_pings(ends, index)),
        clock=clock,
        cuts=(*_cut(negotiations), *_open(ends, every if shared else ())),
    )


def _cut(negotiations: Iterable[Negotiation]) -> Iterator[Problem]:
    for n in negotiations:
        if n.dropped:
            text = (
                f"{n.dropped:,} messages of the IKE SA {n.spi_i.hex()} beyond its first {MAX_STEPS:,} are not looked at"
            )
            yield Problem(n.steps[-1].where.file, text)


def _open(ends: Picture, negotiations: tuple[Negotiation, ...]) -> Iterator[Problem]:
    """What may be of either of two tunnels that share an address: said, and held against nobody."""
    for end in ends.ends:
        names = " and ".join((ends.name, *end.rivals))
        if end.open_lines:
            first = end.open_lines[0]
            many = len(end.open_lines)
            what = "this line" if many == 1 else f"{many:,} lines from here on"
            text = f"{what} may be of any of {names}: these share an address"
            yield Problem(first.file, text, first.line)
        if negotiations and end.rivals:
            text = f"{len(negotiations):,} negotiations may be of any of {names}: these share an address"
            yield Problem(negotiations[0].steps[0].where.file, text)


def _esp_counted(ends: Picture, evidence: Evidence, spis: set[str] | None = None) -> tuple[int, int, float]:
    """(from left to right, from right to left, time of the last) of the ESP packets in all captures, or of those with some SPIs."""
    left, right = ends.left.addresses, ends.right.addresses
    flows = [f for capture in evidence.captures for f in capture.esp.values() if spis is None or f.spi in spis]
    there = [f for f in flows if f.src in left and f.dst in right]
    back = [f for f in flows if f.src in right and f.dst in left]
    last = max((f.last for f in (*there, *back)), default=0.0)
    return sum(f.packets for f in there), sum(f.packets for f in back), last


def _esp_seen(picture: Picture, evidence: Evidence) -> tuple[EspSeen, ...]:
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
            order = _order([f for _, f in leaving], [f for _, f in coming])
            found.append(EspSeen(from_left, dict(sent), dict(got) if watched else None, files, order))
    return tuple(found)


def _order(leaving: list[EspFlow], coming: list[EspFlow]) -> Order:
    """Packet by packet, each SPI by itself."""
    each = [
        compared((f.track for f in leaving if f.spi == spi), (f.track for f in coming if f.spi == spi))
        for spi in dict.fromkeys(f.spi for f in leaving)
    ]
    return Order(sum(o.both for o in each), sum(o.changed for o in each), sum(o.late for o in each))


class _Kind(Enum):
    """What a test's target is to a tunnel."""

    BETWEEN = auto()
    NEAR = auto()
    OUTSIDE = auto()
    INTERNET = auto()
    ASIDE = auto()


def _tests(picture: Picture, index: Index) -> dict[_Kind, tuple[LanTest, ...]]:
    """Tests from behind either end by what they ask for: the other LAN, something before the tunnel, or a private address elsewhere."""
    found: dict[_Kind, list[LanTest]] = {kind: [] for kind in _Kind}
    towards = [
        (end.site, spans(lans_of(picture.other(end), end) | lans_of(end, picture.other(end)))) for end in picture.ends
    ]
    for placed in index.tests(towards):
        record = placed.record
        end, who = _sender(record, picture)
        if end is None:
            continue
        kind = _kind(record.source, record.to, end, picture)
        found[kind].append(
            LanTest(
                end is picture.left, record.received > 0, record.expected != "blocked", rfc3339_seconds(record.at), placed.where(end.site),
                record.service, _host_address(record.source, end, picture.other(end)), record.to, who, record.error,
                sent=record.sent, received=record.received, size=record.size,
            )
        )  # fmt: skip
    return {kind: tuple(tests) for kind, tests in found.items()}


def _sender(record: TestRecord, picture: Picture) -> tuple[End | None, str]:
    """The end a test was made from, and its source in words. Where nobody tells it, a target in one end's LAN was asked from the other."""
    if record.source:
        return _site_of(record.source, picture), record.source
    asked = [
        other
        for end, other in (picture.ends, picture.ends[::-1])
        if meets(record.to, lans_of(end, other)) and not meets(record.to, lans_of(other, end))
    ]
    return (asked[0], f"{asked[0].site} (by its target)") if asked else (None, "")


def _kind(source: str, target: str, end: End, picture: Picture) -> _Kind:
    """ASIDE where it asks for what is no tunnel's matter: its own LAN, a name."""
    other = picture.other(end)
    if step_of(picture, end, source, target) is not None:
        return _Kind.NEAR
    if meets(target, lans_of(other, end)):
        return _Kind.BETWEEN
    own = lans_of(end, other) | end.networks
    if (
        _is_public(target)
        and not meets(target, own)
        and not meets(target, end.addresses | other.addresses)
        and source != end.site
    ):
        return _Kind.INTERNET
    elsewhere = meets(target, PRIVATE) and not meets(target, own) and not meets(target, end.addresses | other.addresses)
    return _Kind.OUTSIDE if elsewhere and own and source != end.site else _Kind.ASIDE


def _is_public(target: str) -> bool:
    return bool(spans([target])) and not meets(target, PRIVATE)


def _expected_beyond(picture: Picture, evidence: Evidence) -> Iterator[LanTest]:
    """Flows from either LAN to the internet that the case expects to reach."""
    for source, to, service, outcome, line in evidence.expects:
        end = _site_of(source, picture)
        if end is None or outcome != "reach" or _kind(source, to, end, picture) is not _Kind.INTERNET:
            continue
        where = Provenance("case.toml", None, line=line or None)
        address = _host_address(source, end, picture.other(end))
        yield LanTest(end is picture.left, False, True, None, where, service, address, to, source, seen=False)


def _expected(picture: Picture, evidence: Evidence) -> Iterator[LanTest]:
    """Flows between the two sites that the case expects."""
    for source, to, service, outcome, line in evidence.expects:
        end = _site_of(source, picture)
        other = picture.other(end) if end is not None else None
        if end is None or other is None:
            continue
        address = _host_address(to, other, end) or to
        if not meets(address, lans_of(other, end)):
            continue
        yield LanTest(
            end is picture.left, False, outcome == "reach", None, Provenance("case.toml", None, line=line or None), service,
            _host_address(source, end, other), address, source, seen=False,
        )  # fmt: skip


def _host_address(name: str, end: End, other: End) -> str:
    """A host's address: as it is written, or by its name from the host's own tables."""
    site, _, host = name.partition("/")
    if not host or (host.isdecimal() and site != end.site):
        return "" if site == end.site else name
    found = end.hosts.get(host)
    numbers = [own for dev, rows in found.addresses.items() if dev != "lo" for own, _ in rows] if found else []
    return next((address_text(n) for n in numbers if meets(address_text(n), lans_of(end, other))), "")


def _links(picture: Picture, index: Index, only: bool) -> Iterator[LinkEvent]:
    """Links at either end; one elsewhere counts where it can only be this tunnel's path, as there is no other."""
    ends = {e.site for e in picture.ends}
    elsewhere = [s for s in index.happenings if s not in ends and s not in index.sites] if only else []
    found = [p for site in (*ends, *elsewhere) for p in index.happenings.get(site, ())]
    for _, placed in sorted(found, key=lambda pair: pair[0]):
        record = placed.record
        if record.what in ("link-down", "link-up") and _beneath(record, picture, index):
            where = placed.where(record.site)
            yield LinkEvent(record.site, record.what == "link-up", rfc3339_seconds(record.at), where, record.subject)


_CHANGES = ("rule-changed", "route-changed", "config-applied")
_SAVED_ONLY = re.compile(r"\b(?:saved|not yet|pending|staged|draft|not applied|candidate)\b", re.IGNORECASE)


def _changes(picture: Picture, index: Index) -> Iterator[Change]:
    """What was changed at either end, at the moment from which it was in force: what is only saved waits for the next that is applied."""
    for end in picture.ends:
        rows = sorted(
            (p for _, p in index.happenings.get(end.site, ())), key=lambda p: rfc3339_seconds(p.record.at) or 0.0
        )
        for number, placed in enumerate(rows):
            r = placed.record
            if r.what not in _CHANGES or (r.what == "rule-changed" and not r.subject):
                continue
            saved = r.what != "config-applied" and _SAVED_ONLY.search(r.detail) is not None
            applied = (
                next((p for p in rows[number + 1 :] if p.record.what == "config-applied"), None) if saved else placed
            )
            at = rfc3339_seconds(applied.record.at) if applied is not None else None
            yield Change(r.site, at, placed.where(end.site), r.subject, r.detail, r.what, applied is None)


_MOVES = (
    "link-down",
    "link-up",
    "peer-lost",
    "tunnel-up",
    "tunnel-down",
    "role-active",
    "role-standby",
    "route-changed",
)


def _moves(picture: Picture, index: Index) -> Iterator[Change]:
    for end in picture.ends:
        for _, placed in index.happenings.get(end.site, ()):
            r = placed.record
            if r.what in _MOVES:
                yield Change(r.site, rfc3339_seconds(r.at), placed.where(end.site), r.subject, r.detail, r.what)


def _beneath(record: EventRecord, picture: Picture, index: Index) -> bool:
    """Is the named link the one the tunnel runs over? An interface that the sheet gives another address is not."""
    end = next((e for e in picture.ends if e.site == record.site), None)
    sheet = index.sheets.get(record.site)
    named = next((i for i in sheet.interface if i.name == record.subject), None) if sheet else None
    if end is None or named is None or not end.address:
        return True
    return any(address.split("/")[0] in end.addresses for address in named.addresses)


def _pings(picture: Picture, index: Index) -> Iterator[PingSeries]:
    """Continuous pings between hosts of the two sites, one series for each pair of hosts."""
    found: dict[tuple[str, str], list[Placed[PingRecord]]] = {}
    for placed in index.records(index.pings, picture.left.site, picture.right.site):
        found.setdefault((placed.record.source, placed.record.to), []).append(placed)
    for (source, to), probes in found.items():
        end = _site_of(source, picture)
        if end is None or not meets(to, lans_of(picture.other(end), end)):
            continue
        first_lost = next((p for p in probes if p.record.rtt_ms is None), probes[0])
        yield PingSeries(
            source, to, end is picture.left, tuple(p.record.rtt_ms is not None for p in probes),
            tuple(rfc3339_seconds(p.record.at) for p in probes), first_lost.where(end.site),
            _host_address(source, end, picture.other(end)), tuple(p.record.seq for p in probes),
        )  # fmt: skip


def _site_of(source: str, picture: Picture) -> End | None:
    """The end behind which a test's source stands: by its site's name, else by its address."""
    site, slash, rest = source.partition("/")
    if slash and not rest.isdecimal():
        return next((e for e in picture.ends if e.site == site), None)
    return next((e for e in picture.ends if site == e.site or meets(source, lans_of(e, picture.other(e)))), None)
