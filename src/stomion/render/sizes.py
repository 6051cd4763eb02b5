"""Sizes on paper: how large packets become as ESP, over their own size, where the steps of the padding show."""

from __future__ import annotations

from pathlib import Path

import matplotlib
from matplotlib.figure import Figure

from stomion.crypto.espsize import Wrap, steps
from stomion.render.paper import A4_LANDSCAPE, INK, SETTINGS, save

SHOWN = 16
"""Steps at the upper end that are drawn; the rest goes on alike."""


def draw_steps(wrap: Wrap, path: int, mss: int, target: Path) -> None:
    """The last steps below a path's MTU: every packet of a step has the same size on the wire; the largest that fits is named."""
    rows = steps(wrap, path)[-SHOWN:]
    largest = wrap.largest(path)
    with matplotlib.rc_context(SETTINGS):
        figure = Figure(figsize=A4_LANDSCAPE)
        figure.text(0.07, 0.94, f"ESP for a path of {path:,} bytes", fontsize=13, weight="bold", color=INK["plain"])
        words = f"largest packet {largest:,} bytes, {wrap.size(largest):,} on the wire; TCP segment {mss:,}"
        figure.text(0.07, 0.905, words, fontsize=10, color=INK["proven"])
        axes = figure.add_axes((0.07, 0.1, 0.86, 0.76))
        for first, last, size in rows:
            axes.plot([first, last + 1], [size, size], color=INK["plain"], linewidth=2.0, solid_capstyle="butt")
            axes.vlines(last + 1, size, size + wrap.block, color=INK["faint"], linewidth=0.6, linestyle=":")
            axes.text(first, size + wrap.block * 0.12, f"{first:,} – {last:,}", fontsize=6.5, color=INK["muted"])
        if rows:
            begin, end = rows[0][0], largest + wrap.block
            axes.plot([begin, end], [begin, end], color=INK["faint"], linewidth=0.8)
            axes.text(begin, begin, "its own size", fontsize=7, color=INK["muted"], va="bottom")
            axes.axhline(path, color=INK["change"], linewidth=1.0)
            axes.text(begin, path, f"the path takes {path:,}", fontsize=7.5, color=INK["change"], va="bottom")
            axes.set_xlim(begin, end)
        axes.set_xlabel("bytes of a packet before the tunnel", color=INK["muted"])
        axes.set_ylabel("bytes on the wire", color=INK["muted"])
        for side in ("top", "right"):
            axes.spines[side].set_visible(False)
        save(figure, target)
