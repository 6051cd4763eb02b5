"""A packet's way and the map of all packets, as data for the drawings."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.space.packetwords import packets_text, range_text
from stomion.tunnel.flows import Flow, flow_text, flows_of
from stomion.views.packetmap import PacketMap, packet_map
from stomion.walk.journey import NEAR, Leg
from stomion.walk.passage import Fate

MOST = (14, 10)
"""Rows and columns of a map that fit on paper."""


@dataclass(frozen=True, slots=True)
class Station:
    """One decision: at the left end (0) or the right one (1), in words; `broken` ends the way, `after` only follows."""

    side: int
    what: str
    says: str
    broken: bool
    after: bool = False


@dataclass(frozen=True, slots=True)
class WalkDrawing:
    """One flow there and back; `forth` tells its direction."""

    title: str
    flow: str
    left: str
    right: str
    forth: int
    there: tuple[Station, ...]
    back: tuple[Station, ...]
    says: str


@dataclass(frozen=True, slots=True)
class MapDrawing:
    """All packets of one direction: sources down, destinations across, ranges not to scale; a field holds the fates of its services.

    `legend` is (fate, words) of each share, the widest first.
    """

    title: str
    source: str
    destination: str
    rows: tuple[str, ...]
    columns: tuple[str, ...]
    fields: tuple[tuple[tuple[Fate, ...], ...], ...]
    legend: tuple[tuple[Fate, str], ...]


def walk_of(diagnosis: Diagnosis) -> WalkDrawing | None:
    """The first flow that fails, else the first one; None where nothing can be walked."""
    flows = flows_of(diagnosis.picture)
    walked = [f for f in flows.flows if f.trip is not None] if flows is not None else []
    if not walked:
        return None
    flow = next((f for f in walked if f.failed and f.broken is not None), walked[0])
    assert flow.trip is not None
    picture = diagnosis.picture
    sender = 0 if flow.test.from_left else 1
    back = _stations(flow.trip.back, 1 - sender) if flow.trip.back is not None else ()
    return WalkDrawing(
        f"{picture.left.title} – {picture.right.title}: one packet's way", flow_text(flow.test), picture.left.title, picture.right.title,
        sender, _stations(flow.trip.there, sender), back, _says(flow),
    )  # fmt: skip


def _says(flow: Flow) -> str:
    leg = flow.broken
    return (
        f"It ends: {leg.says or leg.fate.value}."
        if leg is not None
        else f"{flow.whose} let it pass, and its answer too."
    )


def _stations(leg: Leg, sender: int) -> tuple[Station, ...]:
    ended = leg.fate is not Fate.CARRIED
    return tuple(
        Station(
            sender if at == NEAR else 1 - sender,
            step.what,
            step.says,
            ended and index == leg.decided,
            ended and index > leg.decided,
        )
        for index, (at, step) in enumerate(leg.steps)
    )


def maps_of(diagnosis: Diagnosis) -> tuple[MapDrawing, ...]:
    """One map a direction whose packets are known."""
    flows = flows_of(diagnosis.picture)
    if flows is None:
        return ()
    out = []
    for index, shares in enumerate(flows.shares):
        if not shares:
            continue
        ends = diagnosis.picture.ends if index == 0 else diagnosis.picture.ends[::-1]
        drawn, _ = packet_map(shares, (), MOST)
        fields = tuple(tuple(_fates(drawn, r, c) for c in range(len(drawn.columns))) for r in range(len(drawn.rows)))
        legend = tuple(
            (s.fate, f"{s.fate.value}: {packets_text(s.region, 1)}" + (f" ({s.says})" if s.says else ""))
            for s in shares[:6]
        )
        out.append(
            MapDrawing(
                f"{ends[0].title} to {ends[1].title}", ends[0].title, ends[1].title, tuple(map(range_text, drawn.rows)),
                tuple(map(range_text, drawn.columns)), fields, legend,
            )
        )  # fmt: skip
    return tuple(out)


def _fates(drawn: PacketMap, row: int, column: int) -> tuple[Fate, ...]:
    """The fates of a field; a gateway's own addresses show only where there is nothing else."""
    found = drawn.fates(row, column)
    return tuple(f for f in found if f is not Fate.LOCAL) or found
