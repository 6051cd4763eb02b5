"""Drawings on paper: the seams of a case and the ladder of a negotiation, as SVG or PDF on A4."""

from __future__ import annotations

import textwrap
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import matplotlib
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from stomion.model.finding import STAGES
from stomion.render.paper import A4_LANDSCAPE, A4_PORTRAIT, INK, SETTINGS, save, sheet, write
from stomion.views.ladder import Ladder, Row
from stomion.views.seam import Seam, Stretch
from stomion.views.selectors import Band, SelectorDrawing
from stomion.views.walk import MapDrawing, Station, WalkDrawing
from stomion.walk.passage import Fate

ROWS_PER_PAGE = 26


NAME_UNITS, SAYS_UNITS = 0.76, 0.56
"""Width of a letter of a name and of a sentence, in hundredths of the page: at most, as letters differ."""
LONGEST_NAME = 22
SAYS_COLUMNS = 38


def draw_seams(seams: list[Seam], title: str, path: Path) -> None:
    """One row a tunnel, as many rows as fit a page of A4 across; more tunnels make the sheet longer. Long names are set on two lines, and
    a row is as high as its longest text."""
    with matplotlib.rc_context(SETTINGS):
        rows = [_SeamText(_name(s.left), _name(s.right), textwrap.wrap(s.says, SAYS_COLUMNS)[:5]) for s in seams]
        heights = [max(6.2, 2.1 * max(len(r.left), len(r.right), len(r.says)) + 1.6) for r in rows]
        left_room, right_room = (max((len(x) for r in rows for x in side(r)), default=8) for side in (_left, _right))
        left = 3 + NAME_UNITS * left_room
        right = 100 - 3 - SAYS_UNITS * SAYS_COLUMNS - NAME_UNITS * right_room
        step = (right - left) / len(STAGES)
        total = max(A4_LANDSCAPE[1] * 4.5, 22 + sum(heights))
        figure = Figure(figsize=(A4_LANDSCAPE[0], total / 10))
        axes = sheet(figure, 100, total)
        write(axes, 2, total - 5, title, size=13, weight="bold")
        for index, stage in enumerate(STAGES):
            write(axes, left + step * (index + 0.5), total - 10, stage.value, size=6.6, ink="muted", ha="center")
        y = total - 12
        for seam, row, height in zip(seams, rows, heights, strict=True):
            _seam_row(axes, seam, row, y - height / 2, left, step)
            y -= height
        _seam_legend(axes, y - 2.5)
        save(figure, path)


@dataclass(frozen=True, slots=True)
class _SeamText:
    """A row's words, cut to lines."""

    left: list[str]
    right: list[str]
    says: list[str]


def _left(row: _SeamText) -> list[str]:
    return row.left


def _right(row: _SeamText) -> list[str]:
    return row.right


def _name(text: str) -> list[str]:
    """A name on at most two lines; what is longer still is cut, and says so."""
    lines = textwrap.wrap(text, LONGEST_NAME) or [""]
    return lines if len(lines) < 3 else [lines[0], lines[1][: LONGEST_NAME - 1] + "…"]


def _seam_row(axes: Any, seam: Seam, row: _SeamText, y: float, left: float, step: float) -> None:
    _post(axes, left - 0.3, y, seam.left_changes, seam.left_known)
    inks = ["change" if changes else "plain" for changes in (seam.left_changes, seam.right_changes)]
    weights = [_weight(seam.left_changes), _weight(seam.right_changes)]
    write(axes, left - 1, y, "\n".join(row.left), ha="right", va="center", ink=inks[0], weight=weights[0], size=8.4)
    right = left + step * len(STAGES)
    for index, (_, stretch) in enumerate(seam.stretches):
        _stretch(axes, stretch, left + step * index, y, step)
    _post(axes, right + 0.3, y, seam.right_changes, seam.right_known)
    write(axes, right + 1, y, "\n".join(row.right), va="center", ink=inks[1], weight=weights[1], size=8.4)
    ink = "plain" if seam.left_changes or seam.right_changes else "muted"
    write(axes, 98 - SAYS_UNITS * SAYS_COLUMNS, y, "\n".join(row.says), size=6.8, va="center", ink=ink)


def _seam_legend(axes: Any, y: float) -> None:
    """What the strokes of the line mean."""
    x = 3.0
    meanings = (
        (Stretch.WHOLE, "proven"),
        (Stretch.DOUBT, "doubtful"),
        (Stretch.UNSEEN, "no evidence"),
        (Stretch.BREAK_MIDDLE, "broken, on the side of the end that must change"),
    )
    for stretch, words in meanings:
        _stretch(axes, stretch, x, y, 4.0)
        write(axes, x + 4.8, y, words, size=6.8, ink="muted", va="center")
        x += 7.5 + 0.8 * len(words)


def _weight(changes: bool) -> str:
    return "bold" if changes else "normal"


def _post(axes: Any, x: float, y: float, changes: bool, known: bool) -> None:
    style = "-" if known else (0, (1, 1))
    axes.plot(
        [x, x],
        [y - 1.3, y + 1.3],
        color=INK["change" if changes else "plain"],
        lw=3 if known else 1.5,
        ls=style,
        solid_capstyle="butt",
    )


def _stretch(axes: Any, stretch: Stretch, x: float, y: float, step: float) -> None:
    """A stretch of the line; a break is two strokes across it on the side of the end that must change."""
    plain = {
        Stretch.WHOLE: ("proven", "-", 2.6),
        Stretch.DOUBT: ("doubt", (0, (4, 2)), 2.0),
        Stretch.UNSEEN: ("faint", (0, (1, 2)), 1.4),
    }
    if stretch in plain:
        ink, style, width = plain[stretch]
        axes.plot([x, x + step], [y, y], color=INK[ink], ls=style, lw=width, solid_capstyle="butt")
        return
    at = {Stretch.BREAK_LEFT: 0.12, Stretch.BREAK_MIDDLE: 0.5, Stretch.BREAK_RIGHT: 0.84}.get(stretch)
    if at is None:
        return
    axes.plot([x, x + step * at - 0.35], [y, y], color=INK["proven"], lw=2.6, solid_capstyle="butt")
    for shift in (0.0, 0.55):
        mid = x + step * at + shift
        axes.plot([mid - 0.3, mid + 0.3], [y - 1.2, y + 1.2], color=INK["change"], lw=1.6)


def draw_ladder(ladder: Ladder, sentence: str, remedies: list[str], title: str, path: Path) -> None:
    """The messages of one attempt between two posts, with the log lines that speak of them, and what is to be said."""
    with matplotlib.rc_context(SETTINGS):
        rows = list(ladder.rows)
        height = max(A4_PORTRAIT[1] * 0.5, 3.2 + 0.3 * len(rows) + 0.24 * len(remedies))
        figure = Figure(figsize=(A4_PORTRAIT[0], height))
        axes = sheet(figure, 100, height * 10)
        y = height * 10 - 5
        write(axes, 4, y, title, size=13, weight="bold")
        write(axes, 96, y, ladder.heading, size=8, ink="muted", ha="right")
        y = _ladder_heads(axes, ladder, y - 6)
        top = y
        for row in rows:
            _ladder_row(axes, row, y)
            y -= 3.0
        for x in (20.0, 80.0):
            axes.plot([x, x], [top + 2, y + 1], color=INK["plain"], lw=1.2)
        write(axes, 20, y - 1.5, ladder.ending, size=8, ink="muted")
        y -= 6
        for line in textwrap.wrap(sentence, 88):
            write(axes, 4, y, line, size=10, weight="bold")
            y -= 2.6
        for remedy in remedies:
            write(axes, 4, y - 0.8, remedy, size=8.5)
            y -= 2.4
        save(figure, path)


def _ladder_heads(axes: Any, ladder: Ladder, y: float) -> float:
    for x, ha, name, address, known in (
        (20, "left", ladder.left, ladder.left_address, ladder.left_known),
        (80, "right", ladder.right, ladder.right_address, ladder.right_known),
    ):
        write(axes, x, y, name + ("" if known else " (inferred)"), size=10, weight="bold", ha=ha)
        write(axes, x, y - 2.2, address, size=8, ink="muted", ha=ha)
    return y - 6.4


def _ladder_row(axes: Any, row: Row, y: float) -> None:
    if row.direction == 0:
        write(axes, 21.5, y, f"{row.where}  " if row.where else "", size=6.8, ink="source", va="center")
        write(axes, 39, y, textwrap.shorten(row.label, 62, placeholder=" …"), size=6.8, ink="muted", va="center")
        return
    ink = {"plain": "plain", "change": "change", "doubt": "doubt", "proven": "proven"}.get(row.tone, "muted")
    start, stop = (20.4, 79.6) if row.direction > 0 else (79.6, 20.4)
    if row.lost:
        stop = start + (stop - start) * 0.7
    head = "-|>" if not row.lost else "-"
    axes.annotate(
        "",
        xy=(stop, y),
        xytext=(start, y),
        arrowprops={"arrowstyle": head, "color": INK[ink], "lw": 1.3, "shrinkA": 0, "shrinkB": 0},
    )
    if row.lost:
        write(axes, stop, y, "×", size=11, ink="change", ha="center", va="center")
    label = textwrap.shorten(row.label, 64, placeholder=" …")
    box = {"facecolor": "white", "edgecolor": "none", "pad": 1.2}
    write(axes, 50, y, label, size=8, ink=ink, ha="center", va="center", bbox=box)
    write(axes, 18.5, y, row.clock, size=7, ink="muted", ha="right", va="center")
    if row.where is not None and row.where.packet is not None:
        write(axes, 81.5, y, f"#{row.where.packet}", size=7, ink="muted", va="center")


def draw_selectors(drawing: SelectorDrawing, path: Path) -> None:
    """One band a side: an address axis, and on it a bar for what each end says."""
    with matplotlib.rc_context(SETTINGS):
        lines = textwrap.wrap(drawing.says, 110)
        height = 1.6 + 1.5 * len(drawing.bands) + 0.22 * len(lines)
        figure = Figure(figsize=(A4_LANDSCAPE[0], height))
        axes = sheet(figure, 100, height * 10)
        y = height * 10 - 5
        write(axes, 3, y, drawing.title, size=13, weight="bold")
        for line in lines:
            y -= 3
            write(axes, 3, y, line, size=9)
        y -= 6
        for band in drawing.bands:
            y = _band(axes, band, y)
        write(
            axes,
            3,
            y + 6,
            "a bar is what an end names, along all addresses of the band; red: that end must change",
            size=6.8,
            ink="muted",
        )
        save(figure, path)


def _band(axes: Any, band: Band, y: float) -> float:
    left, width = 22.0, 54.0
    write(axes, 3, y, band.title, size=9, weight="bold")
    write(axes, left, y, band.low, size=7, ink="muted")
    write(axes, left + width, y, band.high, size=7, ink="muted", ha="right")
    for index, bar in enumerate(band.bars):
        at = y - 3.4 - 3.6 * index
        ink = "change" if bar.wrong else "proven"
        write(
            axes,
            20.5,
            at,
            "\n".join(_name(bar.who)),
            size=7.6,
            ha="right",
            va="center",
            ink="change" if bar.wrong else "plain",
        )
        axes.plot([left, left + width], [at, at], color=INK["faint"], lw=0.8)
        for low, high in bar.parts:
            axes.plot([left + width * low, left + width * high], [at, at], color=INK[ink], lw=8, solid_capstyle="butt")
        write(axes, left + width + 1.5, at, bar.text, size=8, va="center", ink="change" if bar.wrong else "plain")
    return y - 15


_FATES = {Fate.CARRIED: "proven", Fate.LOCAL: "faint", Fate.UNCERTAIN: "doubt", Fate.DROPPED: "doubt"}


def draw_walk(drawing: WalkDrawing, path: Path) -> None:
    """The decisions of both gateways facing each other in the order of the way, the answer beneath."""
    with matplotlib.rc_context(SETTINGS):
        rows = len(drawing.there) + len(drawing.back) + 2
        height = max(3.2, 2.3 + 0.28 * rows)
        figure = Figure(figsize=(A4_LANDSCAPE[0], height))
        axes = sheet(figure, 100, height * 10)
        y = height * 10 - 5
        write(axes, 3, y, drawing.title, size=13, weight="bold")
        write(axes, 97, y, drawing.flow, size=9, ink="muted", ha="right")
        y -= 6
        write(axes, 3, 2, "▶ goes on   ╱╱ ends here   ┊ would come after", size=6.8, ink="muted")
        write(axes, 43, y, drawing.left, size=10, weight="bold", ha="right")
        write(axes, 57, y, drawing.right, size=10, weight="bold")
        y = _stations(axes, drawing.there, drawing.forth, y - 3.4)
        if drawing.back:
            write(axes, 50, y, "its answer", size=7.5, ink="muted", ha="center", va="center")
            y = _stations(axes, drawing.back, 1 - drawing.forth, y - 2.8)
        for line in textwrap.wrap(drawing.says, 110):
            y -= 2.6
            write(axes, 3, y, line, size=9.5, weight="bold")
        save(figure, path)


def _stations(axes: Any, stations: tuple[Station, ...], forth: int, y: float) -> float:
    for station in stations:
        ink = "change" if station.broken else "faint" if station.after else "plain"
        named = "change" if station.broken else "faint" if station.after else "muted"
        write(axes, 50, y, station.what, size=8, ink=named, ha="center", va="center")
        mark = "╱╱" if station.broken else "┊" if station.after else "▶" if forth == 0 else "◀"
        marked = "change" if station.broken else "faint" if station.after else "proven"
        write(axes, 45.3 if not station.side else 54.7, y, mark, size=7, ink=marked, ha="center", va="center")
        says = textwrap.shorten(station.says, 74, placeholder=" …")
        write(
            axes,
            43 if not station.side else 57,
            y,
            says,
            size=8.2,
            ink=ink,
            ha="right" if not station.side else "left",
            va="center",
        )
        y -= 2.8
    return y


_HATCH = {
    Fate.CARRIED: "", Fate.TRANSLATED: "\\\\\\\\", Fate.LEAKED: "////", Fate.DROPPED: "....", Fate.LOST: "xxxx", Fate.LOOPING: "oooo",
    Fate.LOCAL: "||", Fate.UNCERTAIN: "---",
}  # fmt: skip


def draw_maps(maps: tuple[MapDrawing, ...], title: str, path: Path) -> None:
    """Sources down, destinations across, a block a direction; every field has its fates' colours and hatches, explained beneath."""
    with matplotlib.rc_context(SETTINGS):
        heights = [10 + 2.6 * len(m.rows) + 2.3 * len(m.legend) for m in maps]
        total = 10 + sum(heights)
        figure = Figure(figsize=(A4_LANDSCAPE[0], max(3.2, total / 10)))
        axes = sheet(figure, 100, max(32, total))
        y = max(32, total) - 5
        write(axes, 3, y, title, size=13, weight="bold")
        for drawing, height in zip(maps, heights, strict=True):
            _map(axes, drawing, y - 5)
            y -= height
        save(figure, path)


def _map(axes: Any, drawing: MapDrawing, y: float) -> None:
    left, width = 22.0, 74.0
    write(axes, 3, y, drawing.title, size=10, weight="bold")
    cell = width / len(drawing.columns)
    for index, words in enumerate(drawing.columns):
        shown = words if len(words) * 0.85 < cell else "│"
        write(axes, left + cell * index, y - 2.6, shown, size=7.5, ink="muted")
    y -= 3.4
    for words, fields in zip(drawing.rows, drawing.fields, strict=True):
        write(axes, left - 1, y - 1.3, words, size=8, ink="plain", ha="right", va="center")
        for index, fates in enumerate(fields):
            part = cell / max(1, len(fates))
            for place, fate in enumerate(fates):
                _patch(axes, (left + cell * index + part * place, y - 2.4), (part, 2.3), fate)
        y -= 2.6
    for fate, words in drawing.legend:
        y -= 2.3
        _patch(axes, (3, y - 0.4), (2.4, 1.6), fate)
        ink = _FATES.get(fate, "change")
        write(
            axes,
            6.4,
            y,
            textwrap.shorten(words, 150, placeholder=" …"),
            size=7.5,
            ink="muted" if ink == "faint" else ink,
        )


def _patch(axes: Any, corner: tuple[float, float], size: tuple[float, float], fate: Fate) -> None:
    """A field in its fate's colour, and its pattern in strokes over it: paper without colour tells them apart too."""
    ink = INK[_FATES.get(fate, "change")]
    axes.add_patch(Rectangle(corner, *size, facecolor=ink, alpha=0.3, edgecolor="none", lw=0))
    axes.add_patch(Rectangle(corner, *size, facecolor="none", edgecolor=ink, hatch=_HATCH.get(fate, ""), lw=0.4))
