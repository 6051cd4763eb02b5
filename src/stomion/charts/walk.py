"""A packet's way and the map of all packets, as data for the drawings."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.algebra.boxes import DESTINATION, SOURCE, Interval, addresses_text
from stomion.diagnosis.flows import Flow, flow_text, flows_of
from stomion.diagnosis.runner import Diagnosis
from stomion.walk.journey import NEAR, Leg
from stomion.walk.passage import Fate


@dataclass(frozen=True, slots=True)
class Station:
    """One decision: at the left end (0) or the right one (1), in words; `broken` where the way ends."""

    side: int
    what: str
    says: str
    broken: bool


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
class Patch:
    """A rectangle of sources by destinations, as shares of the axes, with its fate and words."""

    x: tuple[float, float]
    y: tuple[float, float]
    fate: Fate
    text: str


@dataclass(frozen=True, slots=True)
class MapDrawing:
    """All packets of one direction: sources across, destinations up; services share a patch where their fates are one."""

    title: str
    source: str
    destination: str
    patches: tuple[Patch, ...]


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
        else "The tables of both ends let it pass, and its answer too."
    )


def _stations(leg: Leg, sender: int) -> tuple[Station, ...]:
    ended = leg.fate is not Fate.CARRIED
    last = len(leg.steps) - 1
    return tuple(
        Station(sender if at == NEAR else 1 - sender, step.what, step.says, ended and index == last)
        for index, (at, step) in enumerate(leg.steps)
    )


def maps_of(diagnosis: Diagnosis) -> tuple[MapDrawing, ...]:
    """One map a direction whose packets are known."""
    flows = flows_of(diagnosis.picture)
    if flows is None:
        return ()
    out = []
    for index, shares in enumerate(flows.shares):
        ends = diagnosis.picture.ends if index == 0 else diagnosis.picture.ends[::-1]
        boxes = [(share, box) for share in shares for box in share.region.boxes]
        if not boxes:
            continue
        xs, ys = ((min(b[a][0] for _, b in boxes), max(b[a][1] for _, b in boxes)) for a in (SOURCE, DESTINATION))
        ordered = sorted(boxes, key=lambda pair: pair[0].fate is Fate.CARRIED, reverse=True)
        patches = tuple(
            Patch(_part(box[SOURCE], xs), _part(box[DESTINATION], ys), share.fate, share.says or share.fate.value)
            for share, box in ordered
        )
        source, destination = (
            f"{e.title}: {' + '.join(addresses_text(i)[:2])}" for e, i in zip(ends, (xs, ys), strict=True)
        )
        out.append(MapDrawing(f"{ends[0].title} to {ends[1].title}", source, destination, patches))
    return tuple(out)


def _part(interval: Interval, axis: Interval) -> tuple[float, float]:
    span = axis[1] - axis[0] + 1
    return (interval[0] - axis[0]) / span, (interval[1] + 1 - axis[0]) / span
