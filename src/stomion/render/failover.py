"""A failover on paper: lanes over one time axis and the outage as its parts, as SVG or PDF."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import matplotlib
from matplotlib.figure import Figure

from stomion.render.paper import A4_LANDSCAPE, INK, SETTINGS, save, sheet, write
from stomion.views.failover import FailoverDrawing, Lane
from stomion.vocabulary.durations import span_text
from stomion.vocabulary.times import clock_text

LEFT, RIGHT, ROW = 22.0, 97.0, 3.0
"""Edges of the time axis and a lane's height, in hundredths of the page's width."""
PIECES = 240
_PARTS = {
    "detection": "until detected",
    "negotiation": "negotiated",
    "route": "route moved",
    "return": "answered again",
}
_INKS = {"detection": "doubt", "negotiation": "source", "route": "change", "return": "muted"}


def draw_failover(drawing: FailoverDrawing, title: str, path: Path) -> None:
    """One switch on one sheet."""
    total = 100 * A4_LANDSCAPE[1] / A4_LANDSCAPE[0]
    with matplotlib.rc_context(SETTINGS):
        figure = Figure(figsize=A4_LANDSCAPE)
        axes = sheet(figure, 100, total)
        write(axes, 3, total - 5, title, size=13, weight="bold")
        names = f"{drawing.primary.name} primary, {drawing.standby.name} standby"
        names += f"; switch {drawing.number + 1} of {drawing.count}, at {drawing.end.title}"
        write(axes, 3, total - 8, names, ink="muted")
        y = total - 12
        for number in range(6):
            at = drawing.since + (drawing.until - drawing.since) * number / 5
            write(axes, _x(drawing, at), y, clock_text(at)[:10], size=7.5, ink="muted", ha="center")
        y -= ROW
        for lane in drawing.lanes:
            _lane(axes, drawing, lane, y)
            y -= ROW
        _outage(axes, drawing, y - ROW)
        save(figure, path)


def _x(drawing: FailoverDrawing, at: float) -> float:
    share = (at - drawing.since) / max(drawing.until - drawing.since, 1e-9)
    return LEFT + max(0.0, min(share, 1.0)) * (RIGHT - LEFT)


def _lane(axes: Any, drawing: FailoverDrawing, lane: Lane, y: float) -> None:
    write(axes, 3, y, lane.name, size=8, ink="muted", va="center")
    write(axes, 9.5, y, lane.of[:22], size=8, va="center")
    for stretch in lane.stretches:
        begin, end = _x(drawing, stretch.since), _x(drawing, stretch.until)
        if stretch.kind != "gone":
            ink, style = {"stands": ("proven", "-"), "coming": ("doubt", "--")}.get(stretch.kind, ("faint", ":"))
            width = 3.0 if stretch.kind == "stands" else 1.2
            axes.plot([begin, end], [y, y], color=INK[ink], linewidth=width, linestyle=style, solid_capstyle="butt")
        if stretch.label:
            write(axes, begin + 0.3, y + 0.5, stretch.label[:30], size=7)
    for at, sign, tone in lane.signs:
        write(axes, _x(drawing, at), y, sign, size=9, ink=tone, ha="center", va="center")
    if lane.shares is not None:
        _shares(axes, drawing, lane, y)


def _shares(axes: Any, drawing: FailoverDrawing, lane: Lane, y: float) -> None:
    assert lane.shares is not None
    step = (drawing.until - drawing.since) / PIECES
    last: float | None = None
    for number in range(PIECES):
        at = drawing.since + step * number
        share = lane.shares(at, at + step)
        last = share if share is not None else last
        if last is not None:
            ink = "proven" if last > 0.95 else "change" if last < 0.05 else "doubt"
            wide = (RIGHT - LEFT) / PIECES
            height = max(0.15, 1.6 * last)
            axes.bar(LEFT + (number + 0.5) * wide, height, width=wide, bottom=y - 0.8, color=INK[ink])


def _outage(axes: Any, drawing: FailoverDrawing, y: float) -> None:
    """Measured, and beneath it in the same measure what the timers promise."""
    switch = drawing.switch
    begin = switch.loss if switch.loss is not None else switch.detected
    total = switch.restored - begin if switch.restored is not None else None
    promised = drawing.prediction.whole if drawing.prediction is not None else (0.0, 0.0)
    longest = max(total or 0.0, promised[1], sum(p.seconds for p in drawing.parts), 0.001)
    scale = (RIGHT - LEFT - 20) / longest
    write(axes, 3, y, "measured", size=8, ink="muted", va="center")
    write(axes, 9.5, y, span_text(total) if total is not None else "not over", weight="bold", va="center")
    x = LEFT
    for part in drawing.parts:
        wide = part.seconds * scale
        axes.barh(y, wide, height=1.6, left=x, color=INK[_INKS[part.name]], alpha=0.8)
        x += wide
    if switch.lost:
        write(axes, x + 1, y, f"{switch.lost:,} pings lost", size=8, ink="change", va="center")
    if drawing.prediction is not None:
        y -= ROW
        write(axes, 3, y, "promised", size=8, ink="muted", va="center")
        write(axes, 9.5, y, f"{promised[0]:.1f} – {promised[1]:.1f} s", va="center")
        axes.barh(y, promised[0] * scale, height=0.9, left=LEFT, color=INK["muted"], alpha=0.6)
        axes.barh(
            y,
            (promised[1] - promised[0]) * scale,
            height=0.9,
            left=LEFT + promised[0] * scale,
            color=INK["muted"],
            alpha=0.3,
        )
        write(axes, LEFT + promised[1] * scale + 1, y, drawing.prediction.words, size=7.5, ink="muted", va="center")
    y -= ROW
    for number, part in enumerate(drawing.parts):
        x = LEFT + 18 * number
        axes.barh(y, 1.2, height=0.8, left=x, color=INK[_INKS[part.name]], alpha=0.8)
        write(axes, x + 1.8, y, f"{part.seconds:.1f} s {_PARTS[part.name]}", size=8, va="center")
