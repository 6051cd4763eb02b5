"""The sites of a case and how tunnels join them: the shape as a whole, and which of its tunnels can take over from each other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from stomion.tunnel.picture import End, Picture

HUB = 3
"""Tunnels from which on a site is called a hub."""
MOST_HUBS = 3


@dataclass(frozen=True, slots=True)
class Shape:
    """`hubs` are the sites that every tunnel has at one of its ends; `sites` and `pairs` count what is there."""

    sites: int
    pairs: int
    hubs: tuple[str, ...]
    parts: int

    @property
    def complete(self) -> bool:
        """Is every site joined with every other one?"""
        return self.sites >= HUB and self.pairs == self.sites * (self.sites - 1) // 2


def shape_of(pictures: Sequence[Picture]) -> Shape:
    """Of all tunnels together; two tunnels between the same sites are one pair."""
    pairs = {frozenset(e.site for e in p.ends) for p in pictures}
    degree = Counter(site for pair in pairs for site in pair)
    hubs = columns_of(pictures)
    is_star = len(hubs) <= MOST_HUBS and len(degree) > 2 * len(hubs) and degree[hubs[0]] >= HUB
    return Shape(len(degree), len(pairs), hubs if is_star else (), _parts(pairs))


def _parts(pairs: set[frozenset[str]]) -> int:
    """How many groups of sites there are that no tunnel joins."""
    group: dict[str, str] = {}

    def root(site: str) -> str:
        while (up := group.setdefault(site, site)) != site:
            group[site] = group.setdefault(up, up)
            site = group[site]
        return site

    for pair in pairs:
        sites = sorted(pair)
        group[root(sites[0])] = root(sites[-1])
    return len({root(site) for site in list(group)})


def columns_of(pictures: Sequence[Picture]) -> tuple[str, ...]:
    """Sites so chosen that every tunnel has one of them at an end, those with the most tunnels first."""
    left = list(dict.fromkeys(frozenset(e.site for e in p.ends) for p in pictures))
    found: list[str] = []
    while left:
        degree = Counter(site for pair in left for site in pair)
        most = max(degree.values())
        site = min(s for s, n in degree.items() if n == most)
        found.append(site)
        left = [pair for pair in left if site not in pair]
    return tuple(found)


@dataclass(frozen=True, slots=True)
class Element:
    """Something that a tunnel runs over: the gateway of a site, or one of its lines by its public address."""

    kind: str
    site: str
    title: str
    address: str = ""

    @property
    def words(self) -> str:
        """`Petrel's gateway`, `Petrel's line 192.0.2.9`."""
        return f"{self.title}'s gateway" if self.kind == "gateway" else f"{self.title}'s line {self.address}"


@dataclass(frozen=True, slots=True)
class Joined:
    """Tunnels between the same networks. `shared` are the elements that all of them run over: each alone takes all of them down."""

    pictures: tuple[Picture, ...]
    shared: tuple[Element, ...]

    @property
    def sites(self) -> frozenset[str]:
        """All sites at either end."""
        return frozenset(e.site for p in self.pictures for e in p.ends)


def joined(pictures: Sequence[Picture]) -> tuple[Joined, ...]:
    """Tunnels by the networks that they join, in the order of the tunnels."""
    by_name = {p.name: p for p in pictures}
    seen: set[str] = set()
    out = []
    for picture in pictures:
        if picture.name in seen:
            continue
        group, todo = [], [picture.name]
        while todo:
            name = todo.pop(0)
            if name in seen or name not in by_name:
                continue
            seen.add(name)
            group.append(by_name[name])
            todo += [p.name for p in by_name[name].beside]
        shared = frozenset.intersection(*(_elements(p) for p in group))
        out.append(Joined(tuple(group), tuple(sorted(shared, key=lambda e: (e.kind, e.site)))))
    return tuple(out)


def _elements(picture: Picture) -> frozenset[Element]:
    found = []
    for end in picture.ends:
        found.append(Element("gateway", end.site, end.title))
        line = _line(end)
        if line:
            found.append(Element("line", end.site, end.title, line))
    return frozenset(found)


def _line(end: End) -> str:
    """The public address that this tunnel has at an end, where it is known for sure."""
    if end.sheet is not None and end.sheet.local:
        return end.sheet.local
    own = end.addresses - end.assumed
    return next(iter(own)) if len(own) == 1 else ""
