"""The list of tunnels in groups."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.diagnosis.together import common_causes
from stomion.tui.spans import Line, cut

ORDERS = ("worst first", "by cause", "by site", "by state", "by finding")


@dataclass(frozen=True, slots=True)
class Heading:
    """A line above a group: its name, how many tunnels it has, and what is said of all of them."""

    name: str
    count: int
    says: str = ""


Row = Diagnosis | Heading


def rows_of(shown: Sequence[Diagnosis], order: str) -> list[Row]:
    """Tunnels with their groups' headings, each group in the order that the list has."""
    if order == ORDERS[0]:
        return list(shown)
    groups: dict[str, list[Diagnosis]] = {}
    says: dict[str, str] = {}
    for d in shown:
        for name in _names(d, order, says, shown):
            groups.setdefault(name, []).append(d)
    found = (
        sorted(groups.items(), key=lambda g: -len(g[1])) if order in (ORDERS[1], ORDERS[4]) else list(groups.items())
    )
    out: list[Row] = []
    for name, mine in found:
        out += [Heading(name, len(mine), says.get(name, "")), *mine]
    return out


def _names(d: Diagnosis, order: str, says: dict[str, str], shown: Sequence[Diagnosis]) -> list[str]:
    first = d.first_fault
    if order == "by state":
        return [d.status.value]
    if order == "by finding":
        return [first.code if first is not None else "no fault"]
    if order == "by site":
        return [_hub(d, shown)]
    for cause in common_causes(shown):
        if d.picture.name in cause.tunnels:
            name = f"{cause.title}: {cause.change}"
            says[name] = f"{cause.code}, {len(cause.tunnels)} of {cause.of} tunnels of {cause.title}"
            return [name]
    return ["each its own cause" if first is not None else "no fault"]


def _hub(d: Diagnosis, shown: Sequence[Diagnosis]) -> str:
    """The end with more tunnels in the list."""
    counts = {
        end.title: sum(end.site in {e.site for e in other.picture.ends} for other in shown) for end in d.picture.ends
    }
    return max(counts, key=lambda name: counts[name])


def heading_line(heading: Heading, width: int) -> Line:
    """`broken  4`."""
    tail = f"   {heading.says}" if heading.says else ""
    name = cut(heading.name, max(10, width - 12))
    return [
        (" ", "plain"),
        (name, "!source"),
        (f"  {heading.count:,}", "strong"),
        (cut(tail, max(0, width - len(name) - 8)), "muted"),
    ]
