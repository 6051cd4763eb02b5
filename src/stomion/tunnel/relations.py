"""Do the sites of a case reach each other as it is wanted: directly, through another one, or not at all? By the tunnels' selectors,
and by the exact sets of packets that the tables let pass, where these are known."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import combinations

from stomion.model.relation import Relation, Want
from stomion.space.packetwords import packets_text
from stomion.space.ranges import common, missing, written
from stomion.tunnel.lans import lans_of, without_any
from stomion.tunnel.overlaps import addresses_of, site_lans
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.reach import Reach, by_tunnel, hindrance, through
from stomion.walk.passage import Fate


@dataclass(frozen=True, slots=True)
class Judged:
    """Two sites: is it as wanted? None where no selectors tell. `says` is the reason as a sentence, `sites` who must change something."""

    left: str
    right: str
    relation: Relation
    holds: bool | None
    says: str
    sites: tuple[str, ...] = ()


def judged(relations: Sequence[Relation], pictures: Sequence[Picture]) -> list[Judged]:
    """Every pair of every relation, in their order."""
    out: list[Judged] = []
    if not relations:
        return out
    net = _Net(pictures)
    for relation in relations:
        for left, right in combinations(dict.fromkeys(relation.sites), 2):
            if relation.through not in (left, right):
                holds, says, sites = _JUDGES[relation.want](net, relation, left, right)
                out.append(Judged(left, right, relation, holds, says, sites))
    return out


class _Net:
    """All tunnels by the two sites they join."""

    def __init__(self, pictures: Sequence[Picture]) -> None:
        self.pairs: dict[frozenset[str], list[Picture]] = {}
        self.beside: dict[str, set[str]] = {}
        self.titles = {e.site: e.title for p in pictures for e in p.ends}
        self._public = addresses_of(pictures)
        self.walks = MOST_WALKED
        """Pairs of sites that may still be gone through the tables for."""
        for picture in pictures:
            pair = frozenset(e.site for e in picture.ends)
            self.pairs.setdefault(pair, []).append(picture)
            for site in pair:
                self.beside.setdefault(site, set()).update(pair - {site})

    def between(self, one: str, other: str) -> list[Picture]:
        """The tunnels that join two sites."""
        return self.pairs.get(frozenset((one, other)), [])

    def name(self, site: str) -> str:
        """A site's name as people write it."""
        return self.titles.get(site, site)

    def lans(self, pictures: Sequence[Picture], site: str) -> list[str]:
        """The networks behind a site, as some of its tunnels show."""
        public = self._public.get(site, ())
        ends = [(e, p.other(e)) for p in pictures for e in p.ends if e.site == site]
        return sorted({text for end, other in ends for text in site_lans(end, other, public)})

    def way(self, one: Picture, site: str) -> Way | None:
        """By the tables, both directions between a site and the other end of a tunnel; None where they are not both known."""
        return self._walked(lambda: by_tunnel(one, site), lambda: by_tunnel(one, _far(one, site)))

    def way_through(self, one: Picture, two: Picture, hub: str) -> Way | None:
        """By the tables, both directions between the other ends of a hub's two tunnels; None where its tables are not known."""
        return self._walked(lambda: through(one, two, hub), lambda: through(two, one, hub))

    def _walked(self, there: Callable[[], Reach | None], back: Callable[[], Reach | None]) -> Way | None:
        if not self.walks:
            return None
        self.walks -= 1
        first = there()
        second = back() if first is not None else None
        return (first, second) if first is not None and second is not None else None


MOST_WALKED = 1_000
"""Pairs whose packets are gone through the tables for; a thousand sites have half a million. Further ones are judged by selectors alone."""
Way = tuple[Reach, Reach]


def _far(picture: Picture, site: str) -> str:
    return picture.right.site if picture.left.site == site else picture.left.site


Answer = tuple[bool | None, str, tuple[str, ...]]
"""Whether it holds, why, and who must change something."""


def _direct(net: _Net, _relation: Relation, left: str, right: str) -> Answer:
    names = f"{net.name(left)} and {net.name(right)}"
    found = net.between(left, right)
    if not found:
        return False, f"No tunnel joins {names}.", (left, right)
    lacking = [_not_carried(*p.ends) for p in found]
    if all(lacking):
        return False, f"Between {names} {_and(lacking[0])} is in no selector.", (left, right)
    ways = [way for p, lacks in zip(found, lacking, strict=True) if not lacks and (way := net.way(p, left)) is not None]
    stopped = [_stopped(net, names, *way) for way in ways]
    if stopped and all(stopped) and len(ways) == len(found) - sum(map(bool, lacking)):
        return next(filter(None, stopped))
    tables = ", and the tables let it pass" if stopped else ""
    return True, f"{found[lacking.index([])].name} joins {names}{tables}.", ()


def _stopped(net: _Net, names: str, there: Reach, back: Reach) -> Answer | None:
    """Where the tables keep two sites apart; None where they do not."""
    row = hindrance(there, back)
    if row is None:
        return None
    how = f"{net.name(row.stop.site)}, {row.stop.says or row.stop.fate.value}"
    return False, f"By the selectors {names} reach each other, and by the tables {row.says}: {how}.", (row.stop.site,)


def _not_carried(left: End, right: End) -> list[str]:
    """LANs of either end, of which the selectors hold a part, that they leave out."""
    out: list[str] = []
    for end, other in ((left, right), (right, left)):
        near, _ = _selectors(end, other)
        own = without_any(end.networks) & set(lans_of(end, other))
        out += written(missing([n for n in own if common([n], near)], near))
    return out


def _through(net: _Net, relation: Relation, left: str, right: str) -> Answer:
    names, hub = f"{net.name(left)} and {net.name(right)}", relation.through
    direct = net.between(left, right)
    if direct:
        return False, f"{names} have a tunnel of their own ({direct[0].name}).", (left, right)
    legs = [net.between(site, hub) for site in (left, right)]
    for site, found in zip((left, right), legs, strict=True):
        if not found:
            return False, f"No tunnel joins {net.name(site)} and {net.name(hub)}.", (site, hub)
    lans = [net.lans(legs[0], left), net.lans(legs[1], right)]
    if not lans[0] or not lans[1]:
        return None, f"The networks behind {names} are not both known.", ()
    for number, site, other in ((0, left, right), (1, right, left)):
        lacking = min((_lacking(p, site, lans[1 - number]) for p in legs[number]), key=len)
        if lacking:
            what = f"{_and(lacking)} of {net.name(other)}"
            says = f"The selectors between {net.name(site)} and {net.name(hub)} do not hold {what}."
            return False, says, (site, hub)
    ways = [way for one in legs[0] for two in legs[1] if (way := net.way_through(one, two, hub)) is not None]
    stopped = [_stopped(net, names, *way) for way in ways]
    if stopped and all(stopped):
        return next(filter(None, stopped))
    return True, f"By {_basis(stopped)} {names} reach each other through {net.name(hub)}.", ()


def _basis(walked: Sequence[object]) -> str:
    return "selectors and tables" if walked else "the selectors"


def _apart(net: _Net, _relation: Relation, left: str, right: str) -> Answer:
    names = f"{net.name(left)} and {net.name(right)}"
    direct = net.between(left, right)
    if direct:
        return False, f"{direct[0].name} joins {names}.", (left, right)
    held: Answer | None = None
    for hub in sorted(net.beside.get(left, set()) & net.beside.get(right, set())):
        for one in net.between(left, hub):
            for two in net.between(hub, right):
                if _opens(one, left, net.lans([two], right)) and _opens(two, right, net.lans([one], left)):
                    found = _joined(net, names, one, two, hub)
                    if found[0] is not True:
                        return found
                    held = found
    return held or (True, f"No selectors join {names}.", ())


def _joined(net: _Net, names: str, one: Picture, two: Picture, hub: str) -> Answer:
    """Two tunnels whose selectors hold both sites: what do the tables make of it?"""
    way = net.way_through(one, two, hub)
    by = f"the selectors of {one.name} and {two.name}"
    if way is None:
        return False, f"By {by} {names} reach each other.", (hub,)
    open_ones = [reach.passes for reach in way if reach.passes]
    if open_ones:
        return False, f"By {by} and the tables {names} reach each other: {packets_text(open_ones[0])}.", (hub,)
    rows = [row for reach in way for row in reach.lacking]
    if any(row.stop.fate is Fate.UNCERTAIN for row in rows):
        return None, f"By {by} {names} reach each other, and the tables do not tell whether anything passes.", ()
    row = next(iter(rows), None)
    why = f": {net.name(row.stop.site)}, {row.stop.says or row.stop.fate.value}" if row is not None else ""
    return True, f"{_first_up(by)} hold {names}, and the tables let nothing pass{why}.", ()


def _first_up(text: str) -> str:
    return text[:1].upper() + text[1:]


_JUDGES = {Want.DIRECT: _direct, Want.THROUGH: _through, Want.APART: _apart}


def _opens(picture: Picture, site: str, far: list[str]) -> bool:
    """Do a site's selectors hold any of another site's networks?"""
    return bool(far and common(_remote(picture, site), far))


def _lacking(picture: Picture, site: str, far: list[str]) -> list[str]:
    remote = _remote(picture, site)
    return list(written(missing(far, remote))) if remote else []


def _remote(picture: Picture, site: str) -> tuple[str, ...]:
    end = next(e for e in picture.ends if e.site == site)
    return _selectors(end, picture.other(end))[1]


def _selectors(end: End, other: End) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """(near, far) by both ends' sheets, what both name; else by the one that is there, else by the Child SA that stands."""
    sides = [(end.sheet.local_ts, end.sheet.remote_ts)] if end.sheet is not None else []
    sides += [(other.sheet.remote_ts, other.sheet.local_ts)] if other.sheet is not None else []
    sides = [side for side in sides if all(side)]
    if not sides:
        up = end.story.child_up
        return (
            ((up.my_ts[0],), (up.my_ts[1],)) if up is not None and len(up.my_ts) == len(("near", "far")) else ((), ())
        )
    near, far = sides[0]
    for more_near, more_far in sides[1:]:
        near, far = written(common(near, more_near)), written(common(far, more_far))
    return near, far


def _and(texts: list[str]) -> str:
    return " and ".join(texts[:3]) + (f" and {len(texts) - 3} more" if len(texts) > 3 else "")
