"""How a case's sites are joined, as it is drawn: who with whom, what takes over from what, what is expected, and which ranges collide."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.model.finding import Status
from stomion.model.relation import Relation
from stomion.space.ranges import spans, written
from stomion.space.unused import free_range
from stomion.tunnel.lans import lans_of, without_any
from stomion.tunnel.overlaps import addresses_of, overlaps, site_lans
from stomion.tunnel.picture import Picture
from stomion.tunnel.relations import Judged, judged
from stomion.tunnel.sites import Joined, Shape, columns_of, joined, shape_of

STANDS = (Status.WORKING, Status.IDLE, Status.DEGRADED)


@dataclass(frozen=True, slots=True)
class Say:
    """A sentence about a site; `tone` names its weight as everywhere."""

    text: str
    tone: str = "plain"


@dataclass(frozen=True, slots=True)
class SiteRow:
    """A site with its networks; `cells` are its tunnels by the site they lead to, of those that stand as columns."""

    site: str
    title: str
    lans: tuple[str, ...]
    cells: dict[str, tuple[Diagnosis, ...]]
    says: tuple[Say, ...]


@dataclass(frozen=True, slots=True)
class SitesDrawing:
    """`columns` are (site, title); every tunnel stands once, in the row of one of its ends and the column of the other."""

    shape: Shape
    words: tuple[Say, ...]
    columns: tuple[tuple[str, str], ...]
    rows: tuple[SiteRow, ...]
    relations: tuple[Judged, ...]


def sites_of(diagnoses: Sequence[Diagnosis], relations: Sequence[Relation] = ()) -> SitesDrawing:
    """Of all tunnels of a case."""
    pictures = [d.picture for d in diagnoses]
    by_name = {d.picture.name: d for d in diagnoses}
    titles = {e.site: e.title for p in pictures for e in p.ends}
    columns = columns_of(pictures)
    groups, shape = joined(pictures), shape_of(pictures)
    found = tuple(judged(relations, pictures))
    says: dict[str, list[Say]] = {site: [] for site in titles}
    for group in groups:
        said = _takes_over(group, by_name)
        for site in group.sites:
            if site not in shape.hubs:
                says[site] += said
    for one in found:
        for site in (one.left, one.right) if not one.holds else ():
            says.get(site, []).append(_related(one))
    collisions = _collisions(pictures)
    for site, say in collisions:
        says[site].append(say)
    words = (*_shape_words(shape, groups, titles, len(diagnoses)), *_wanted(found))
    return SitesDrawing(
        shape, words, tuple((c, titles[c]) for c in columns), _rows(diagnoses, columns, titles, says), found
    )


def _rows(
    diagnoses: Sequence[Diagnosis], columns: tuple[str, ...], titles: dict[str, str], says: dict[str, list[Say]]
) -> tuple[SiteRow, ...]:
    cells: dict[str, dict[str, list[Diagnosis]]] = {site: {} for site in titles}
    lans: dict[str, set[str]] = {site: set() for site in titles}
    public = addresses_of([d.picture for d in diagnoses])
    rank = {site: number for number, site in enumerate(columns)}
    for d in diagnoses:
        for end in d.picture.ends:
            lans[end.site] |= site_lans(end, d.picture.other(end), public.get(end.site, set()))
        one, two = sorted((e.site for e in d.picture.ends), key=lambda site: rank.get(site, len(rank)))
        cells[two].setdefault(one, []).append(d)
    order = sorted(titles, key=lambda site: (site not in rank, rank.get(site, 0), titles[site]))
    return tuple(
        SiteRow(
            site, titles[site], written(spans(lans[site])), {k: tuple(v) for k, v in cells[site].items()}, tuple(says[site])
        )
        for site in order
    )  # fmt: skip


def _shape_words(shape: Shape, groups: tuple[Joined, ...], titles: dict[str, str], tunnels: int) -> list[Say]:
    mesh = shape.sites * (shape.sites - 1) // 2
    hubs = " and ".join(titles[h] for h in shape.hubs)
    if shape.complete:
        form = f"every site with every other: one more site takes {shape.sites} more tunnels"
    elif shape.hubs:
        form = f"around {hubs}: one more site takes 1 tunnel, or {len(shape.hubs)} to have all hubs"
        form = form if len(shape.hubs) > 1 else f"around {hubs}: one more site takes 1 more tunnel"
    elif shape.sites == len(("one", "other")):
        form = "one pair"
    else:
        form = f"{shape.pairs} of {mesh} possible pairs joined"
    said = [Say(f"{shape.sites} sites, {tunnels} tunnels, {form}.", "strong")]
    if shape.hubs and shape.sites > 2 * len(shape.hubs):
        said.append(Say(f"To join every site with every other it would take {mesh:,}.", "muted"))
    if shape.parts > 1:
        said.append(Say(f"They fall into {shape.parts} groups that no tunnel joins.", "plain"))
    alone = sum(len(g.pictures) == 1 for g in groups)
    if alone == len(groups):
        said.append(Say("No two tunnels join the same networks: nothing takes over from any of them."))
    elif alone:
        said.append(Say(f"{len(groups) - alone} of {len(groups)} pairs of networks have more than one tunnel."))
    return said


def _wanted(found: Sequence[Judged]) -> list[Say]:
    """How many of the wanted relations are as wanted."""
    wrong, open_ = sum(j.holds is False for j in found), sum(j.holds is None for j in found)
    if not found:
        return []
    if not wrong and not open_:
        return [Say(f"All {len(found)} relations that are wanted hold.", "proven")]
    rest = f", {open_} can't be told" if open_ else ""
    return [
        Say(f"Of {len(found)} relations that are wanted {wrong} do not hold{rest}.", "change" if wrong else "doubt")
    ]


def _takes_over(group: Joined, by_name: dict[str, Diagnosis]) -> list[Say]:
    """The levels of what may fail, in plain words; and whether each further tunnel would work now."""
    names = " and ".join(p.name for p in group.pictures)
    if len(group.pictures) == 1:
        only = by_name[names]
        tone = "change" if only.status is Status.BROKEN else "doubt"
        fault = [Say(only.first_fault.summary, tone)] if only.first_fault is not None else []
        return [Say(f"Over {names} alone: nothing takes over from it.", "muted"), *fault]
    if not group.shared:
        head = Say(f"{names} take over from each other; no single gateway or line takes all of them down.", "proven")
    else:
        shared = ", ".join(e.words for e in group.shared)
        head = Say(f"{names} join the same networks. What takes all of them down alone: {shared}.", "plain")
    return [head, *(_ready(by_name[p.name]) for p in group.pictures)]


def _ready(diagnosis: Diagnosis) -> Say:
    name, first = diagnosis.picture.name, diagnosis.first_fault
    role = next((e.sheet.role for e in diagnosis.picture.ends if e.sheet is not None and e.sheet.role), "")
    who = f"{name}, the {role}," if role else name
    if first is not None and diagnosis.status is Status.BROKEN:
        return Say(f"{who} would not work: {first.summary}", "change")
    if first is not None:
        return Say(f"{who} stands with a fault: {first.summary}", "doubt")
    if diagnosis.status is Status.UNPROVEN:
        return Say(f"{who} was never seen to carry anything.", "doubt")
    return Say(f"{who} stands" + (" and carries." if diagnosis.status is Status.WORKING else "."), "proven")


def _related(one: Judged) -> Say:
    tone = "doubt" if one.holds is None else "change"
    wish = {"direct": "wanted with each other", "apart": "wanted apart"}.get(
        one.relation.want, f"wanted through {one.relation.through}"
    )
    return Say(f"{one.says} ({wish})", tone)


def _collisions(pictures: Sequence[Picture]) -> list[tuple[str, Say]]:
    """The same addresses behind two sites, with a range that nobody uses to show one of them as."""
    in_use = {text for p in pictures for e in p.ends for text in without_any(lans_of(e, p.other(e)))}
    out = []
    for one in overlaps(pictures):
        first, left, right = one.shared[0], one.left.title, one.right.title
        text = f"{', '.join(one.shared[:3])} is in use behind {left} and behind {right}"
        text += ", unless the two are gateways of one LAN." if one.twins else "."
        free = free_range(first, in_use)
        if free:
            in_use.add(free)
            text += (
                f" Free at every site: {free}. Translated one to one at {right} ({first} shown as {free}), the routes and both ends' "
                f"selectors towards {right} name {free}."
            )
        say = Say(text, "doubt" if one.twins else "change")
        out += [(one.left.site, say), (one.right.site, say)]
    return out
