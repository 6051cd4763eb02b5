"""The SA pairs of a tunnel's end, from the readings of its counters and from its log; and since when the tunnel is up."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from dataclasses import replace
from itertools import zip_longest

from stomion.exchange.story import Story
from stomion.listings.reader import Listed
from stomion.measure.series import CounterSeries
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.model.record import CounterRecord
from stomion.model.sa import Sa, SaState, State
from stomion.tunnel.picture import End, Picture
from stomion.vocabulary.algorithms import model_value
from stomion.vocabulary.times import rfc3339_seconds

CHAINED_S = 15.0
"""Seconds between an SA's last reading and the next one's birth within which the second renews the first."""


def sas_of(site: str, story: Story, events: Iterable[Event], readings: Iterable[CounterSeries]) -> tuple[Sa, ...]:
    """Newest first. An SA that a later one of the end has renewed is closing while it is still read beside it, else down."""
    found: dict[frozenset[str], Sa] = {}
    for first, last, where in _spans(readings):
        _read(found, first, last, where, site)
    for event in events:
        if event.what is What.CHILD_UP and event.spis:
            _told(found, event, site)
    rows = sorted(found.values(), key=lambda sa: (sa.up_since or sa.at or 0.0, sa.at or 0.0), reverse=True)
    return tuple(_with_state(sa, number, rows, story) for number, sa in enumerate(rows))


def _spans(found: Iterable[CounterSeries]) -> Iterable[tuple[CounterRecord, CounterRecord, Provenance]]:
    """The first and the last reading of every pair, and where the last stands."""
    ends: dict[tuple[str, str], tuple[CounterRecord, CounterRecord, Provenance]] = {}
    for series in found:
        key = series.first.spi_in, series.first.spi_out
        first, last, where = ends.get(key) or (series.first, series.last, series.place_of_last)
        if _moment(series.last) > _moment(last):
            last, where = series.last, series.place_of_last
        ends[key] = min(first, series.first, key=_moment), last, where
    return ends.values()


def _moment(record: CounterRecord) -> float:
    return rfc3339_seconds(record.at) or 0.0


def _born(record: CounterRecord) -> float | None:
    at, age = rfc3339_seconds(record.at), record.age_s
    return at - age if at is not None and age is not None else None


def _read(
    found: dict[frozenset[str], Sa], first: CounterRecord, r: CounterRecord, where: Provenance, site: str
) -> None:
    """A pair by its last reading, with the earliest birth that its first and last tell."""
    key = frozenset(s for s in (r.spi_in.lower(), r.spi_out.lower()) if s)
    births = [born for born in (_born(first), _born(r)) if born is not None]
    found[key] = Sa(
        site, r.spi_in.lower(), r.spi_out.lower(), model_value("encryption", r.encryption), model_value("integrity", r.integrity),
        str(r.group) if r.group is not None else "", r.encapsulation or "", min(births, default=None), rfc3339_seconds(r.at), r.age_s,
        r.rekey_in_s, r.expires_in_s, r.packets_in, r.packets_out, r.bytes_in, r.bytes_out, where=where,
    )  # fmt: skip


def _told(found: dict[frozenset[str], Sa], event: Event, site: str) -> None:
    """A log's line of an SA that came up."""
    into, out = oriented(event.text, event.spis)
    key = next((k for k in found if k & set(event.spis)), frozenset(event.spis))
    known = found.get(key) or Sa(site, into, out, at=event.at, where=event.where)
    offered = event.mine
    first = {kind: next(iter(offered.values(kind)), "") if offered is not None else "" for kind in _KINDS}
    found[key] = replace(
        known,
        encryption=known.encryption or first["encryption"],
        integrity=known.integrity or first["integrity"],
        group=known.group or first["group"],
        up_since=event.at if event.at is not None else known.up_since,
    )


_KINDS = ("encryption", "integrity", "group")
_OUT = re.compile(r"\b(?:out\w*|tx|send\w*|local to remote|_o)\b|\bout$")
_IN = re.compile(r"\b(?:in|inb\w*|incoming|rx|recv|receiv\w*)\b")


def oriented(text: str, spis: tuple[str, ...]) -> tuple[str, str]:
    """(in, out) of an SA's two SPIs as a line names them: the nearest word before each tells; without one the first is the one in."""
    if len(spis) < len(("in", "out")):
        return (spis[0] if spis else "", "")
    low = text.lower()
    at = low.find(spis[0])
    before, after = low[max(0, at - 24) : at], low[at + len(spis[0]) : at + len(spis[0]) + 3]
    outs, ins = [m.end() for m in _OUT.finditer(before)], [m.end() for m in _IN.finditer(before)]
    swapped = max(outs, default=-1) > max(ins, default=-1) or after.startswith("_o")
    return (spis[1], spis[0]) if swapped else (spis[0], spis[1])


def _with_state(sa: Sa, number: int, rows: list[Sa], story: Story) -> Sa:
    down = story.child_ever is not None and story.child_up is None
    if number == 0:
        return replace(sa, state=SaState.DOWN if down else SaState.UP)
    newer = rows[number - 1]
    beside = sa.at is not None and newer.at is not None and sa.age_s is not None and sa.at >= newer.at
    return replace(sa, state=SaState.CLOSING if beside and not down else SaState.DOWN)


def listed_pairs(site: str, mine: Collection[str], theirs: Collection[str], states: Iterable[State]) -> list[Sa]:
    """Pairs out of the states that a system lists between an end's addresses and its peer's: those of one reqid belong together, in the
    order of the list, which has the newest first."""
    out: dict[int, list[State]] = {}
    into: dict[int, list[State]] = {}
    for state in states:
        if state.src in mine and state.dst in theirs:
            out.setdefault(state.reqid, []).append(state)
        elif state.src in theirs and state.dst in mine:
            into.setdefault(state.reqid, []).append(state)
    return [
        _pair(site, sent, got)
        for reqid in dict.fromkeys((*out, *into))
        for sent, got in zip_longest(out.get(reqid, []), into.get(reqid, []))
    ]


def _pair(site: str, sent: State | None, got: State | None) -> Sa:
    one = sent or got
    assert one is not None
    return Sa(
        site, got.spi if got else "", sent.spi if sent else "", one.encryption, one.integrity, "", "udp" if one.udp else "none",
        packets_in=got.packets if got else None, packets_out=sent.packets if sent else None, bytes_in=got.bytes if got else None,
        bytes_out=sent.bytes if sent else None, state=SaState.UP, where=one.where,
    )  # fmt: skip


def with_listed(known: tuple[Sa, ...], listed: list[Sa]) -> tuple[Sa, ...]:
    """SA pairs of counters and logs, completed by those that the system lists; one that is listed is there."""
    by_spi = {frozenset((sa.spi_in, sa.spi_out)): sa for sa in listed}
    rows = []
    for sa in known:
        own = by_spi.pop(frozenset((sa.spi_in, sa.spi_out)), None)
        if own is None:
            rows.append(sa)
            continue
        rows.append(
            replace(
                sa, encryption=sa.encryption or own.encryption, integrity=sa.integrity or own.integrity,
                encapsulation=sa.encapsulation or own.encapsulation,
                packets_in=sa.packets_in if sa.packets_in is not None else own.packets_in,
                packets_out=sa.packets_out if sa.packets_out is not None else own.packets_out,
                bytes_in=sa.bytes_in if sa.bytes_in is not None else own.bytes_in,
                bytes_out=sa.bytes_out if sa.bytes_out is not None else own.bytes_out,
            )
        )  # fmt: skip
    return (*rows, *by_spi.values())


def own_listed(end: End, other: End, listed: Iterable[Listed], others: Collection[str], alone: bool) -> list[Sa]:
    """Of a gateway's own listing the SAs of this tunnel: by the peer's address, else by a name, else because the site has no other. What
    is called by the name of one of the site's `others` is that one's, whichever address its peer has."""
    rows = list(listed)
    if not rows:
        return []
    own = end.sheet.name.lower() if end.sheet is not None else ""
    named = {other.site.lower(), own} - {""}
    rivals = {name.lower() for name in others} - {own}
    out = []
    for one in rows:
        peers, name = set(one.peers) - end.addresses, one.name.lower()
        if name in rivals:
            continue
        if peers & other.addresses or name in named or (alone and not peers and not name):
            out.append(one.sa)
    return out


def stands(sa: Sa) -> bool:
    """Does a listing show an SA that carries or may carry?"""
    return sa.state in (SaState.UP, SaState.REKEYING) and bool(sa.spi_in)


def with_own(known: tuple[Sa, ...], listed: list[Sa]) -> tuple[Sa, ...]:
    """SA pairs completed by a gateway's own listing, which says of each how it stands."""
    rows = list(known)
    for sa in listed:
        at = next(
            (n for n, k in enumerate(rows) if sa.spi_in and (k.spi_in, k.spi_out) == (sa.spi_in, sa.spi_out)), None
        )
        if at is None:
            rows.append(sa)
            continue
        told = {f: v for f in _FIELDS if (v := getattr(sa, f)) not in (None, "")}
        known_ = rows[at]
        rows[at] = replace(known_, **{f: v for f, v in told.items() if f in _LEADS or getattr(known_, f) in (None, "")})
    return tuple(rows)


_LEADS = ("state", "words")
"""What a listing knows best."""
_FIELDS = (
    "encryption", "integrity", "group", "encapsulation", "up_since", "at", "age_s", "rekey_in_s", "expires_in_s", "packets_in",
    "packets_out", "bytes_in", "bytes_out", "state", "words",
)  # fmt: skip


def up_since(picture: Picture) -> float | None:
    """Since when a tunnel that is up has been so without a break: the later of what both ends tell; None where nobody tells."""
    found = [at for end in picture.ends if (at := _up_since(end)) is not None]
    return max(found, default=None)


def _up_since(end: End) -> float | None:
    story = end.story
    if story.child_ever is not None:
        return story.since.at if story.since is not None and story.child_up is not None else None
    since = None
    for sa in end.sas:
        if sa.up_since is None:
            break
        if since is not None and (sa.at is None or since - sa.at > CHAINED_S):
            break
        since = sa.up_since
    return since
