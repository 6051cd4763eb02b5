"""Changes tried in the picture, several side by side: what would become of which packets, flows and findings. Evidence is never touched."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from stomion.diagnosis.runner import Judgement, run
from stomion.diagnosis.spec import Context
from stomion.errors import UsageError
from stomion.model.box import Box
from stomion.model.finding import Finding, Stage
from stomion.model.tables import Tables
from stomion.space.boxes import Region, meet
from stomion.tunnel.flows import Flow, Flows, flows_of, is_own
from stomion.tunnel.picture import End, LanTest, Picture
from stomion.walk.passage import Fate
from stomion.whatif.attempt import Change, Try
from stomion.whatif.edits import Edited

BY_TABLES = (Stage.NAT, Stage.ROUTING, Stage.FILTER, Stage.TRAFFIC)
"""Stages that tables alone decide, once nothing of what was seen before the change counts any more."""


@dataclass(frozen=True, slots=True)
class Difference:
    """Packets of one direction whose fate a change turns into another."""

    from_left: bool
    before: Fate
    after: Fate
    region: Region


@dataclass(frozen=True, slots=True)
class Place:
    """A machine whose tables can be changed: an end's gateway, or a host behind it."""

    side: int
    host: str = ""

    def tables(self, picture: Picture) -> Tables | None:
        """Its tables in a picture."""
        end = picture.ends[self.side]
        return end.hosts.get(self.host) if self.host else end.tables

    def title(self, picture: Picture) -> str:
        """Its name as people write it."""
        end = picture.ends[self.side]
        return f"{end.title}/{self.host}" if self.host else end.title


def tried(attempt: Try, place: Place, change: Callable[[Tables], Edited]) -> Try:
    """A try with one change more at a machine. Raises UsageError where the change can't be made."""
    tables = place.tables(attempt.picture)
    if tables is None:
        raise UsageError(f"No tables of {place.title(attempt.picture)} are known.")
    fresh, words = change(tables)
    picture = _with_tables(attempt.picture, place, fresh)
    return attempt.with_change(picture, Change(place.title(attempt.picture), words))


def _with_tables(picture: Picture, place: Place, tables: Tables) -> Picture:
    end = picture.ends[place.side]
    fresh: End = replace(end, hosts={**end.hosts, place.host: tables}) if place.host else replace(end, tables=tables)
    return replace(picture, left=fresh) if place.side == 0 else replace(picture, right=fresh)


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a try makes of things: packets, flows and findings, against the picture as it is."""

    differences: tuple[Difference, ...]
    mended: tuple[Flow, ...]
    spoiled: tuple[Flow, ...]
    amiss: int
    total: int
    gone: tuple[Finding, ...]
    fresh: tuple[Finding, ...]
    left: tuple[Finding, ...]
    crashed: tuple[str, ...] = ()
    """Rules of ours that failed on the picture with the change: what they would say is not known."""


def outcome(before: Picture, after: Picture) -> Outcome:
    """Compare two pictures by their tables alone: tests that were seen before the change prove nothing after it, their flows are walked."""
    old, new = by_tables(before), by_tables(after)
    first, second = flows_of(old), flows_of(new)
    if first is None or second is None:
        return Outcome((), (), (), 0, 0, (), (), ())
    pairs = list(zip(first.flows, second.flows, strict=True))
    judged, after_all = table_findings(old), table_findings(new)
    found, then = judged.findings, after_all.findings
    codes, later = {(f.code, f.sides) for f in found}, {(f.code, f.sides) for f in then}
    return Outcome(
        tuple(sorted(_differences(first, second), key=lambda d: -d.region.size())),
        tuple(b for a, b in pairs if amiss(a) and not amiss(b)),
        tuple(b for a, b in pairs if amiss(b) and not amiss(a)),
        sum(1 for f in second.flows if amiss(f)),
        len(second.flows),
        tuple(f for f in found if (f.code, f.sides) not in later),
        tuple(f for f in then if (f.code, f.sides) not in codes),
        tuple(f for f in then if (f.code, f.sides) in codes),
        after_all.crashed,
    )


def amiss(flow: Flow) -> bool:
    """Ought to pass and does not, or ought to be blocked and is not."""
    return flow.failed or flow.open


def by_tables(picture: Picture) -> Picture:
    """The picture with its tests as flows that nobody has tried yet; each flow once."""
    seen = [replace(t, seen=False, passed=False, error="") for t in picture.tests if not is_own(t)]
    once: dict[tuple[object, ...], LanTest] = {}
    for flow in (*seen, *picture.expected):
        once.setdefault(_key(flow), flow)
    return replace(picture, tests=(), expected=tuple(once.values()))


def same_flow(a: LanTest, b: LanTest) -> bool:
    """Do two tests speak of the same flow? Of a range, whichever packet of it is shown."""
    return _key(a) == _key(b)


def _key(flow: LanTest) -> tuple[object, ...]:
    if flow.asked:
        return flow.asked, flow.where
    return flow.from_left, flow.source or flow.who, flow.to, flow.service, flow.expected


def table_findings(picture: Picture) -> Judgement:
    """What the tables of a picture lead to: the faults of the stages that they decide."""
    return run(Context(picture, None), lambda spec: spec.stage in BY_TABLES and not spec.caution)


def _differences(first: Flows, second: Flows) -> list[Difference]:
    found: dict[tuple[bool, Fate, Fate], list[Box]] = {}
    for index, (old, new) in enumerate(zip(first.shares, second.shares, strict=True)):
        before, after = ({box: s.fate for s in shares for box in s.region.boxes} for shares in (old, new))
        # Most of a large partition stays as it is, box for box: only what is left is compared each with each.
        same = before.keys() & after.keys()
        pairs = [(box, box) for box in same] + [(a, b) for a in before.keys() - same for b in after.keys() - same]
        for a, b in pairs:
            shared = meet(a, b) if before[a] is not after[b] else None
            if shared is not None:
                found.setdefault((index == 0, before[a], after[b]), []).append(shared)
    return [Difference(*key, Region(tuple(boxes)).merged()) for key, boxes in found.items()]
