"""What the rules of packets that arrive and are thrown away share: replay and integrity errors of an SA."""

from __future__ import annotations

from stomion.diagnosis.spec import Context, Spec
from stomion.measure.counters import Moved, moved
from stomion.model.finding import PATH, Certainty, Finding, Remedy
from stomion.model.provenance import Provenance
from stomion.tunnel.attempts import latest
from stomion.tunnel.counted import places
from stomion.tunnel.picture import End

FEW = 10
"""Errors below which nothing is said: a packet out of order now and then is no fault."""
SHARE = 0.02
"""The share of all packets that came in from which errors tell of a fault."""


def thrown_away(context: Context, spec: Spec, kind: str, words: str, remedy: str) -> Finding | None:
    """The finding that an end's SA counts many errors of a kind (`replay`, `integrity`) between its first and its last reading."""
    for end in context.picture.ends:
        found = moved(end.readings)
        count = _count(found, kind)
        if found is None or count < FEW or count < SHARE * (found.back + found.replay + found.integrity):
            continue
        return _finding(context, spec, end, found, count, words, remedy)
    return None


def by_packets(context: Context, spec: Spec, kind: str, words: str, remedy: str) -> Finding | None:
    """The same from both ends' captures, packet by packet: many that arrive `changed`, or `late`."""
    for seen in context.picture.esp_seen:
        count = seen.order.changed if kind == "changed" else seen.order.late
        if count < FEW or count < SHARE * seen.order.both:
            continue
        start, end = context.picture.ends if seen.from_left else context.picture.ends[::-1]
        return spec.finding(
            [PATH],
            Certainty.PROVEN if kind == "changed" else Certainty.LIKELY,
            f"{count} of {seen.order.both} ESP packets from {start.title} reach {end.title} {words}.",
            [Remedy(PATH, remedy)],
            [Provenance(file, start.site) for file in seen.files],
            {kind: count, "compared": seen.order.both, "at": end.site},
        )
    return None


def by_lists(context: Context, spec: Spec, kind: str, words: str, remedy: str) -> Finding | None:
    """The same from the system's own counts, where something is lost: of the tunnel's SA, or of the whole gateway."""
    if not any(a.sent - a.received >= FEW for a in latest(context.picture)):
        return None
    for end in context.picture.ends:
        found = next((d for d in end.dropped if d.cause == kind and d.count >= FEW and (d.own or d.risen)), None)
        if found is None:
            continue
        start = context.picture.other(end)
        whose = f"of {start.title}'s packets" if found.own else "packets, over all its tunnels,"
        return spec.finding(
            [PATH],
            Certainty.LIKELY if found.own else Certainty.POSSIBLE,
            f"{end.title} threw {found.count} {whose} away {words}.",
            [Remedy(PATH, remedy)],
            [found.where],
            {"errors": found.count, "at": end.site},
        )
    return None


def _count(found: Moved | None, kind: str) -> int:
    return 0 if found is None else found.replay if kind == "replay" else found.integrity


def _finding(context: Context, spec: Spec, end: End, found: Moved, count: int, words: str, remedy: str) -> Finding:
    start = context.picture.other(end)
    return spec.finding(
        [PATH],
        Certainty.LIKELY,
        f"{end.title} throws {count} of {start.title}'s packets away {words}, and opens {found.back}.",
        [Remedy(PATH, remedy)],
        places(end),
        {"errors": count, "opened": found.back, "at": end.site},
    )
