"""Traffic on paper: who reaches whom, running pings as strips, and the ladder from near to far, as SVG or PDF."""

from __future__ import annotations

import textwrap
from pathlib import Path
from typing import Any

import matplotlib
from matplotlib.figure import Figure

from stomion.render.paper import A4_LANDSCAPE, INK, SETTINGS, save, sheet, write
from stomion.views.traffic import MARKS, MEANS, Entry, Matrix, Strip, TrafficDrawing
from stomion.vocabulary.times import clock_text

NAME, CELL, ROW = 20.0, 19.0, 2.6
"""Hundredths of the page's width for a source's name and a target's column, and of a line's height."""
ACROSS = 4
"""Targets side by side; more stand in a further table beneath."""
WORDS = {"passes": "▬", "fails": "╱", "blocked": "❙", "leaks": "╳", "partly": "┅", "untried": "–"}
"""Marks as fonts for paper have them."""
PIECES = 160


def draw_traffic(drawing: TrafficDrawing, title: str, path: Path) -> None:
    """One sheet, as long as its content needs."""
    with matplotlib.rc_context(SETTINGS):
        total = max(100 * A4_LANDSCAPE[1] / A4_LANDSCAPE[0], 20 + sum(_heights(drawing)))
        figure = Figure(figsize=(A4_LANDSCAPE[0], total * A4_LANDSCAPE[0] / 100))
        axes = sheet(figure, 100, total)
        write(axes, 3, total - 5, title, size=13, weight="bold")
        y = total - 11.0
        for matrix in drawing.matrices:
            for first in range(0, len(matrix.targets), ACROSS):
                y = _matrix(axes, matrix, matrix.targets[first : first + ACROSS], y)
        y = _legend(axes, drawing, y)
        for strip in drawing.strips:
            y = _strip(axes, strip, y)
        for end, rungs in drawing.ladders:
            if any(r.fares for r in rungs):
                write(axes, 3, y, f"near to far, {end.title}", ink="muted")
                for number, rung in enumerate(rungs):
                    mark, ink = _mark(rung.fares) if rung.fares else ("·", "faint")
                    write(axes, 24 + number * 12.5, y, mark, size=8, ink=ink)
                    write(axes, 25.8 + number * 12.5, y, rung.name, size=8, ink="plain" if rung.fares else "faint")
                y -= ROW
        save(figure, path)


def _tables(drawing: TrafficDrawing) -> list[Matrix]:
    return [m for m in drawing.matrices for _ in range(0, len(m.targets), ACROSS)]


def _heights(drawing: TrafficDrawing) -> list[float]:
    """Of every part in its order."""
    rows = [ROW * (2.6 + sum(_lines(m, s) for s in m.sources)) for m in _tables(drawing)]
    return rows + [_strip_height(s) + ROW for s in drawing.strips] + [ROW] * len(drawing.ladders)


def _lines(matrix: Matrix, source: str) -> int:
    return max([len(matrix.cells.get((source, t), ())) for t in matrix.targets] + [1])


def _matrix(axes: Any, matrix: Matrix, targets: tuple[str, ...], y: float) -> float:
    write(axes, 3, y, f"from {matrix.end.title}", size=9, weight="bold")
    for number, target in enumerate(targets):
        write(axes, 3 + NAME + number * CELL, y, _cut(target, 22), size=8, ink="source")
    y -= ROW
    for source in matrix.sources:
        write(axes, 3, y, _cut(source, 24), size=8)
        for number, target in enumerate(targets):
            for line, entry in enumerate(matrix.cells.get((source, target), ())):
                _entry(axes, entry, 3 + NAME + number * CELL, y - ROW * 0.85 * line)
        y -= ROW * _lines(matrix, source)
    return y - ROW * 0.6


def _entry(axes: Any, entry: Entry, x: float, y: float) -> None:
    mark, ink = _mark(entry.fares)
    write(axes, x, y, mark, size=8, ink=ink)
    write(axes, x + 2.2, y, _cut(entry.name, 18), size=8, ink=ink if ink == "change" else "plain")


def _mark(fares: str) -> tuple[str, str]:
    return WORDS[fares], MARKS[fares][1]


def _legend(axes: Any, drawing: TrafficDrawing, y: float) -> float:
    kinds = {e.fares for m in drawing.matrices for cell in m.cells.values() for e in cell}
    for number, kind in enumerate(k for k in MARKS if k in kinds):
        mark, ink = _mark(kind)
        write(axes, 3 + number * 16, y, mark, size=7.5, ink=ink)
        write(axes, 5.2 + number * 16, y, MEANS[kind], size=7.5, ink="muted")
    return y - ROW * 1.6 if kinds else y


def _strip_height(strip: Strip) -> float:
    return ROW * (3.4 + len(strip.breaks[:4]))


def _strip(axes: Any, strip: Strip, y: float) -> float:
    """A bar of pieces, each as high as the share of its probes that were answered."""
    series = strip.series
    lost = len(series.answered) - sum(series.answered)
    times = [at for at in series.times if at is not None]
    span = f"   {clock_text(times[0])[:8]} – {clock_text(times[-1])[:8]} UTC" if times else ""
    head = f"ping {series.source} > {series.to}   {len(series.answered):,} probes, {lost:,} lost{span}"
    write(axes, 3, y, head, size=9, weight="bold")
    y -= ROW * 1.5
    shares = strip.shares(min(PIECES, len(series.answered)))
    wide = 92.0 / len(shares)
    for number, share in enumerate(shares):
        ink = "faint" if share is None else "proven" if share > 0.95 else "change" if share < 0.05 else "doubt"
        axes.bar(
            3 + (number + 0.5) * wide, max((share or 0.0) * ROW, 0.15), width=wide, bottom=y - ROW * 0.4, color=INK[ink]
        )
    y -= ROW
    for gap in strip.breaks[:4]:
        write(axes, 3, y, "\n".join(textwrap.wrap(gap.says, 130)[:1]), size=8, ink="doubt")
        y -= ROW
    return y - ROW * 0.5


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
