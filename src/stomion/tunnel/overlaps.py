"""Which networks are behind the sites of a case, and which of them collide."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

from stomion.model.box import Interval
from stomion.space.ranges import common, spans, written
from stomion.tunnel.lans import behind, lans_of, without_any
from stomion.tunnel.picture import End, Picture


def addresses_of(pictures: Sequence[Picture]) -> dict[str, set[str]]:
    """Every site's public addresses, those of all its tunnels."""
    found: dict[str, set[str]] = {}
    for picture in pictures:
        for end in picture.ends:
            found.setdefault(end.site, set()).update(end.addresses)
    return found


def site_lans(end: End, other: End, public: Collection[str]) -> set[str]:
    """Ranges behind an end without those in which one of its site's public addresses stands."""
    return {n for n in without_any(lans_of(end, other)) if not common([n], public)} or without_any(lans_of(end, other))


@dataclass(frozen=True, slots=True)
class Overlap:
    """Two sites behind which the same addresses are in use. `twins`: their tunnels lead to the same networks, so that they may be two
    gateways of one LAN."""

    left: End
    right: End
    shared: tuple[str, ...]
    twins: bool


def overlaps(pictures: Sequence[Picture]) -> Iterator[Overlap]:
    """Every two sites of which that is so, unless their sheets call them primary and standby. A wide selector that merely contains another
    site's network, as a hub's holds its spokes', is none."""
    public = addresses_of(pictures)
    kin, twins = _kin(pictures)
    ends: dict[str, End] = {}
    held: dict[str, set[tuple[Interval, bool]]] = {}
    for picture in pictures:
        for end in picture.ends:
            ends.setdefault(end.site, end)
            networks = behind(end)
            for text in site_lans(end, picture.other(end), public[end.site]):
                held.setdefault(end.site, set()).update((span, text in networks) for span in spans([text]))
    rows = sorted((span, seen, site) for site, found in held.items() for span, seen in found)
    shared: dict[tuple[str, str], list[Interval]] = {}
    before: list[tuple[Interval, bool, str]] = []
    for span, seen, site in rows:
        before = [row for row in before if row[0][1] >= span[0]]
        for other_span, other_seen, other in before:
            wide = other_span != span and not (seen and other_seen)
            if other != site and other not in kin.get(site, ()) and not wide:
                shared.setdefault((min(site, other), max(site, other)), []).append(
                    (span[0], min(span[1], other_span[1]))
                )
        before.append((span, seen, site))
    for (left, right), found_spans in shared.items():
        yield Overlap(ends[left], ends[right], written(sorted(set(found_spans))), right in twins.get(left, ()))


def _has_role(picture: Picture) -> bool:
    return any(e.sheet is not None and e.sheet.role for e in picture.ends)


def _kin(pictures: Sequence[Picture]) -> tuple[dict[str, set[str]], dict[str, set[str]]]:
    """Sites that are gateways of the same LAN by their roles, and those that may be, as tunnels beside each other show."""
    sure: dict[str, set[str]] = {}
    may_be: dict[str, set[str]] = {}
    for picture in pictures:
        for beside in picture.beside:
            found = sure if _has_role(picture) and _has_role(beside) else may_be
            for end in picture.ends:
                for twin in beside.ends:
                    if twin.site != end.site and common(
                        lans_of(end, picture.other(end)), lans_of(twin, beside.other(twin))
                    ):
                        found.setdefault(end.site, set()).add(twin.site)
                        found.setdefault(twin.site, set()).add(end.site)
    return sure, may_be
