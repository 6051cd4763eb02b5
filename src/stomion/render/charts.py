"""Counters on paper: the same bands as on the screen, as SVG or PDF."""

from __future__ import annotations

import textwrap
from pathlib import Path
from typing import Any

import matplotlib
from matplotlib.figure import Figure

from stomion.render.paper import A4_LANDSCAPE, INK, SETTINGS, save
from stomion.views.counters import Band, CountersDrawing
from stomion.vocabulary.times import clock_text

MARKS_NAMED = 12
"""Things that happened which are named beneath the axis; more would not be legible."""
COLUMNS = 30
"""Letters of a line beside a band."""
POINTS = 400
"""Places of the time axis at which the sums are drawn."""


def draw_counters(drawing: CountersDrawing, title: str, path: Path) -> None:
    """Both directions over one time axis: what left as a line, what arrived as a fill, what is missing hatched between them."""
    with matplotlib.rc_context(SETTINGS):
        figure = Figure(figsize=A4_LANDSCAPE)
        figure.text(0.05, 0.95, title, fontsize=13, weight="bold", color=INK["plain"])
        span = f"{clock_text(drawing.since, day=True)[:19]} – {clock_text(drawing.until)[:8]} UTC"
        figure.text(0.05, 0.92, span, fontsize=9, color=INK["muted"])
        for number, band in enumerate(drawing.bands):
            axes = figure.add_axes((0.1, 0.56 - number * 0.3, 0.62, 0.26))
            _band(axes, drawing, band)
            _words(figure, band, 0.8 - number * 0.3)
        telling = [m for m in drawing.marks if m.text != "rekey"] or list(drawing.marks)
        for number, mark in enumerate(telling[:MARKS_NAMED]):
            place = (0.1 + 0.3 * (number // 6), 0.17 - 0.025 * (number % 6))
            text = f"{clock_text(mark.at)[:8]}  {mark.text}"
            figure.text(*place, text, fontsize=7.5, color=INK.get(mark.tone, INK["plain"]))
        save(figure, path)


def _words(figure: Figure, band: Band, top: float) -> None:
    """The direction, its sums and its reading, beside the band."""
    sums = f"{band.sent.sums[0]:,} left" if band.sent else "not read"
    sums += f"\n{band.got.sums[1]:,} arrived" if band.got else "\nnot read"
    name = textwrap.fill(f"{band.sender.title} → {band.receiver.title}", COLUMNS)
    rows = (
        (name, "plain", "bold"),
        (sums, "plain", "normal"),
        (textwrap.fill(band.says, COLUMNS), band.tone, "normal"),
    )
    for text, ink, weight in rows:
        figure.text(0.74, top, text, fontsize=9, color=INK.get(ink, INK["plain"]), weight=weight, va="top")
        top -= 0.025 * (text.count("\n") + 1) + 0.012


def _band(axes: Any, drawing: CountersDrawing, band: Band) -> None:
    step = (drawing.until - drawing.since) / (POINTS - 1)
    times = [drawing.since + step * n for n in range(POINTS)]
    values = [band.values(at) for at in times]
    sent, got = ([v if v is not None else float("nan") for v in side] for side in zip(*values, strict=True))
    axes.fill_between(times, got, color=INK["proven"], alpha=0.35, linewidth=0)
    axes.fill_between(times, got, sent, facecolor="none", edgecolor=INK["change"], hatch="////", linewidth=0)
    axes.plot(times, sent, color=INK["plain"], linewidth=1.0)
    for mark in drawing.marks:
        axes.axvline(mark.at, color=INK.get(mark.tone, INK["faint"]), linewidth=0.6, linestyle=":")
    ticks = [drawing.since + (drawing.until - drawing.since) * n / 5 for n in range(6)]
    axes.set_xticks(ticks, [clock_text(at)[:8] for at in ticks])
    axes.set_xlim(drawing.since, drawing.until)
    axes.set_ylim(bottom=0)
    axes.tick_params(labelsize=7.5, colors=INK["muted"], length=2)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
