"""What an end threw away, from the system's list of its SAs and from the whole gateway's counts."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from itertools import pairwise

from stomion.measure.counters import rise
from stomion.model.sa import Drop, State
from stomion.tunnel.picture import Dropped


def dropped_by(states: Iterable[State], drops: Iterable[Drop], theirs: Collection[str]) -> tuple[Dropped, ...]:
    """`theirs` are the far end's addresses: of the SAs only those from there are this tunnel's."""
    found: list[Dropped] = []
    # Where the list was read twice, the later reading of an SA counts.
    coming = list({s.spi: s for s in states if s.src in theirs}.values())
    for cause, count in (("replay", "replay"), ("integrity", "integrity_failed")):
        rows = [s for s in coming if getattr(s, count)]
        if rows:
            found.append(Dropped(cause, sum(getattr(s, count) for s in rows), rows[0].where, own=True))
    series: dict[tuple[str, str], list[Drop]] = {}
    for drop in drops:
        series.setdefault((drop.cause, drop.dev), []).append(drop)
    for (cause, dev), read in series.items():
        several = len({r.where.file for r in read}) > 1
        total = sum(rise(a.count, b.count) for a, b in pairwise(read)) if several else read[-1].count
        if total:
            found.append(Dropped(cause, total, read[-1].where, risen=several, dev=dev))
    return tuple(found)
