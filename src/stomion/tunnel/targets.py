"""Tests by where they go: of a site with a thousand tunnels each tunnel looks at its own, and at those that are no tunnel's."""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterable, Mapping

from stomion.case.evidence import Placed
from stomion.model.box import Interval
from stomion.model.record import TestRecord
from stomion.model.site import SiteSheet
from stomion.space.axis import interval_of, joined
from stomion.space.ranges import spans

Numbered = tuple[int, Placed[TestRecord]]


class Targets:
    """The tests of one site, found by their target. `declared` are the ranges that the site's tunnels lead to."""

    def __init__(self, rows: Iterable[Numbered], declared: Iterable[Interval]) -> None:
        far = joined(declared)
        self._single: list[tuple[int, int, Placed[TestRecord]]] = []
        self._others: list[Numbered] = []
        for number, placed in rows:
            at = _single(placed.record.to)
            if at is None or not _within(at, far):
                self._others.append((number, placed))
            else:
                self._single.append((at, number, placed))
        self._single.sort(key=lambda row: row[:2])
        self._at = [row[0] for row in self._single]

    def of(self, ranges: Iterable[Interval]) -> list[Numbered]:
        """Tests into some ranges, and all whose target is in none that a tunnel of the site leads to."""
        found = list(self._others)
        for low, high in ranges:
            for number in range(bisect_left(self._at, low), len(self._at)):
                at, place, placed = self._single[number]
                if at > high:
                    break
                found.append((place, placed))
        return found


def _single(text: str) -> int | None:
    """One address as a number; None for anything else."""
    try:
        found = interval_of(text)
    except ValueError:
        return None
    return found[0][0] if len(found) == 1 and found[0][0] == found[0][1] else None


def _within(at: int, ranges: list[Interval]) -> bool:
    number = bisect_left(ranges, (at + 1,))
    return number > 0 and ranges[number - 1][0] <= at <= ranges[number - 1][1]


def far_ranges(sheets: Mapping[str, SiteSheet]) -> dict[str, list[Interval]]:
    """By site: what its own sheet and its peers' sheets say lies behind its tunnels."""
    found: dict[str, list[Interval]] = {}
    for site, sheet in sheets.items():
        for tunnel in sheet.tunnel:
            found.setdefault(site, []).extend(spans(tunnel.remote_ts))
            if tunnel.peer_site:
                found.setdefault(tunnel.peer_site, []).extend(spans(tunnel.local_ts))
    return found
