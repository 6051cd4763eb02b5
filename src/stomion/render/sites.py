"""The sites of a case on paper: as many pages' height as they need, one mark for each tunnel, what is said of each beside it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import matplotlib
from matplotlib.figure import Figure

from stomion.model.finding import Status
from stomion.render.paper import A4_LANDSCAPE, SETTINGS, save, sheet, write
from stomion.views.sites import SiteRow, SitesDrawing

ROW, NAME, LANS, SAYS = 2.4, 17.0, 19.0, 30.0
"""Hundredths of the page's width: a line's height, and the columns of names, networks and sentences."""
MARKS = {
    Status.WORKING: ("▬", "proven", "works"), Status.IDLE: ("▬", "muted", "stands, nothing sent"),
    Status.DEGRADED: ("┅", "doubt", "works in part"), Status.UNPROVEN: ("··", "doubt", "not proven"),
    Status.BROKEN: ("╱╱", "change", "broken"),
}  # fmt: skip


def draw_sites(drawing: SitesDrawing, title: str, path: Path) -> None:
    """One sheet, as long as its sites need. Hubs that find no room share columns by number."""
    with matplotlib.rc_context(SETTINGS):
        total = max(100 * A4_LANDSCAPE[1] / A4_LANDSCAPE[0], 22 + ROW * (len(drawing.rows) + len(drawing.words) + 2))
        figure = Figure(figsize=(A4_LANDSCAPE[0], total * A4_LANDSCAPE[0] / 100))
        axes = sheet(figure, 100, total)
        write(axes, 3, total - 5, title, size=13, weight="bold")
        y = total - 9.5
        for say in drawing.words:
            write(axes, 3, y, _cut(say.text, 130), size=8, ink=_ink(say.tone))
            y -= ROW
        y -= ROW * 0.6
        step = min(11.0, (100 - 6 - NAME - LANS - SAYS) / max(1, len(drawing.columns)))
        narrow = step < 7
        write(axes, 3 + NAME, y, "networks", size=7, ink="faint")
        for number, (_, name) in enumerate(drawing.columns):
            text = str(number + 1) if narrow else _cut(name, int(step * 1.25))
            write(axes, 3 + NAME + LANS + number * step, y, text, size=7, ink="muted")
        y -= ROW
        numbers = {site: n + 1 for n, (site, _) in enumerate(drawing.columns)} if narrow else {}
        for row in drawing.rows:
            _row(axes, drawing, row, y, step, numbers.get(row.site))
            y -= ROW
        _legend(axes, drawing, y - ROW * 0.6)
        save(figure, path)


def _row(axes: Any, drawing: SitesDrawing, row: SiteRow, y: float, step: float, number: int | None) -> None:
    write(axes, 3, y, (f"{number} " if number else "") + _cut(row.title, 22), size=8, weight="bold")
    more = f" +{len(row.lans) - 1}" if len(row.lans) > 1 else ""
    write(axes, 3 + NAME, y, _cut("".join(row.lans[:1]) + more, 26), size=8, ink="source")
    for place, (hub, _) in enumerate(drawing.columns):
        x = 3 + NAME + LANS + place * step
        for n, d in enumerate(row.cells.get(hub, ())[: max(1, int(step / 2.4))]):
            mark, ink, _ = MARKS[d.status]
            write(axes, x + 2.4 * n, y, mark, size=8, ink=ink)
        if hub == row.site:
            write(axes, x, y, "◦", size=7, ink="faint")
    said = next((s for tone in ("change", "doubt") for s in row.says if s.tone == tone), None)
    if said is not None:
        x = 3 + NAME + LANS + step * len(drawing.columns) + 1
        write(axes, x, y, _cut(said.text, int(1.85 * (97 - x))), size=6.5, ink=_ink(said.tone))


def _legend(axes: Any, drawing: SitesDrawing, y: float) -> None:
    seen = {d.status for r in drawing.rows for cell in r.cells.values() for d in cell}
    for number, status in enumerate(s for s in MARKS if s in seen):
        mark, ink, means = MARKS[status]
        write(axes, 3 + 18 * number, y, mark, size=8, ink=ink)
        write(axes, 6 + 18 * number, y, means, size=7, ink="muted")


def _ink(tone: str) -> str:
    return "plain" if tone == "strong" else tone


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else text[: most - 1] + "…"
