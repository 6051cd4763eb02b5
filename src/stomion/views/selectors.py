"""Both ends' selectors on one address axis, as data: a wrong mask shows as a bar of another length."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.diagnosis.runner import Diagnosis
from stomion.model.box import Interval
from stomion.space.axis import LAST, V4_LAST, V6_FIRST, address_text, interval_of
from stomion.views.compare import DIFFERS, compare


@dataclass(frozen=True, slots=True)
class Bar:
    """What one end says: `parts` are shares (0 to 1) of the axis that its ranges cover."""

    who: str
    text: str
    parts: tuple[tuple[float, float], ...]
    wrong: bool


@dataclass(frozen=True, slots=True)
class Band:
    """One side's range as both ends see it, on an axis from `low` to `high`."""

    title: str
    low: str
    high: str
    bars: tuple[Bar, ...]


@dataclass(frozen=True, slots=True)
class SelectorDrawing:
    """Both sides of a tunnel, and what is to be said of them."""

    title: str
    says: str
    bands: tuple[Band, ...]


def selectors_of(diagnosis: Diagnosis) -> SelectorDrawing:
    """From whatever each end is known to want; a side that nobody names has no band."""
    picture = diagnosis.picture
    bands = []
    faulty = diagnosis.first_fault.sides if diagnosis.first_fault else ()
    for pair in compare(picture).pairs:
        if pair.group != "selectors":
            continue
        said = [
            (end, _intervals(value.text), value.text)
            for end, value in zip(picture.ends, (pair.left, pair.right), strict=True)
        ]
        both = [i for _, intervals, _ in said for i in intervals]
        if not both:
            continue
        low, high = _axis(both)
        bars = tuple(
            Bar(
                end.title,
                text or "not known",
                _parts(intervals, low, high),
                pair.verdict == DIFFERS and end.site in faulty,
            )
            for end, intervals, text in said
        )
        bands.append(Band(pair.name, address_text(low), address_text(high), bars))
    says = diagnosis.first_fault.summary if diagnosis.first_fault else "The selectors are as they should be."
    return SelectorDrawing(f"{picture.left.title} – {picture.right.title}: selectors", says, tuple(bands))


def _intervals(text: str) -> list[Interval]:
    out: list[Interval] = []
    for part in text.split(","):
        try:
            out.extend(interval_of(part.strip().split(" ")[0]) if part.strip() else [])
        except ValueError:
            continue
    return out


def _axis(found: list[Interval]) -> tuple[int, int]:
    """The shortest axis that holds all of the first range's family, a quarter of room at its end."""
    v4 = found[0][0] <= V4_LAST
    mine = [
        (max(low, 0 if v4 else V6_FIRST), min(high, V4_LAST if v4 else LAST))
        for low, high in found
        if (low <= V4_LAST) == v4
    ]
    low, high = min(i[0] for i in mine), max(i[1] for i in mine)
    return low, min(high + (high - low) // 4, V4_LAST if v4 else LAST)


def _parts(found: list[Interval], low: int, high: int) -> tuple[tuple[float, float], ...]:
    span = high - low + 1
    return tuple(
        ((max(a, low) - low) / span, (min(b, high) + 1 - low) / span) for a, b in found if a <= high and b >= low
    )
