"""Wordings learned from what is known to have happened: a wording that stands beside the same event each time says that event.

What happened is told by messages on the wire, and by the other end's log where that one is understood. Both say it by a clock; a wording of
another log that always stands at these moments, and nowhere else, is taken for the log's own words for them.
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from stomion.logs.templates import Template
from stomion.model.event import What
from stomion.model.provenance import Provenance

LEAST_WEIGHT = 2
"""Of a wording that is worth learning: it has a word of the trade, or denies something and names an address that the case knows."""
MOST_PER_EVENT = 2
"""Wordings learned for one event: a log may say it in two lines."""
MOST_SHOWN = 8
"""Places that are kept as evidence for one wording."""
LEAST = 2
"""Times that it must have been seen: one coincidence may be chance."""
SHARE = 0.8
"""Of the moments of an event that a wording must stand beside."""


@dataclass(frozen=True, slots=True)
class Known:
    """An event that is known to have happened at one end, by that end's clock give or take `slack` seconds."""

    at: float
    what: What
    far: bool
    where: Provenance
    slack: float


@dataclass(frozen=True, slots=True)
class Learned:
    """A wording and the event that it stands beside: `beside` are the line's number and the place of what is known, of `moments` in all."""

    text: str
    what: What
    far: bool
    beside: tuple[tuple[int, Provenance], ...]
    count: int
    moments: int


def learned_from(found: Sequence[Template], times: Mapping[int, float], known: Sequence[Known]) -> list[Learned]:
    """Wordings that stand beside the same event each time. `times` are the moments of lines, by their numbers."""
    by_event: dict[tuple[What, bool], list[Known]] = {}
    for one in sorted(known, key=lambda k: k.at):
        by_event.setdefault((one.what, one.far), []).append(one)
    by_event = {event: list(_once(moments)) for event, moments in by_event.items()}
    candidates = [t for t in found if not t.understood and t.weight >= LEAST_WEIGHT and (t.denies or t.tells)]
    out: list[Learned] = []
    taken: set[str] = set()
    for (what, far), moments in sorted(by_event.items(), key=lambda e: (-len(e[1]), e[0][0].value)):
        fits = [
            (t, pairs)
            for t in candidates
            if t.text not in taken and _may_say(t, what) and (pairs := _beside(t, times, moments)) is not None
        ]
        fits.sort(key=lambda f: (-f[0].weight, -len(f[1]), f[0].lines[0]))
        best = [f for f in fits if f[0].weight == fits[0][0].weight][:MOST_PER_EVENT]
        for template, pairs in best:
            taken.add(template.text)
            out.append(Learned(template.text, what, far, tuple(pairs[:MOST_SHOWN]), len(pairs), len(moments)))
    return out


def _may_say(template: Template, what: What) -> bool:
    """A refusal is told in a word that denies."""
    return template.denies or (what is What.RESENT and template.tells)


def _once(known: Sequence[Known]) -> Iterator[Known]:
    """The same moment told by two sources counts once."""
    last: Known | None = None
    for one in known:
        if last is None or one.at - last.at > one.slack or one.where.file == last.where.file:
            yield one
            last = one


def _beside(
    template: Template, times: Mapping[int, float], moments: Sequence[Known]
) -> list[tuple[int, Provenance]] | None:
    """Each of its lines with the moment that it stands at, one for one; None where a line stands at none, or most moments have no line."""
    at = [moment.at for moment in moments]
    used: set[int] = set()
    pairs: list[tuple[int, Provenance]] = []
    for number in template.lines:
        when = times.get(number)
        if when is None:
            return None
        near = bisect_left(at, when)
        close = [
            (abs(at[n] - when), n)
            for n in range(max(0, near - 2), min(len(at), near + 2))
            if n not in used and abs(at[n] - when) <= moments[n].slack
        ]
        if not close:
            return None
        place = min(close)[1]
        used.add(place)
        pairs.append((number, moments[place].where))
    return pairs if len(pairs) >= max(LEAST, SHARE * len(moments)) else None
