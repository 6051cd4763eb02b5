"""Sites as rows, those that tunnels gather at as columns; every tunnel is one mark where its two ends meet."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.model.finding import Status
from stomion.tui.spans import Line, cut, left, paragraph
from stomion.views.sites import Say, SiteRow, SitesDrawing

MARKS = {
    Status.WORKING: ("━━", "proven"),
    Status.IDLE: ("━━", "muted"),
    Status.DEGRADED: ("┅┅", "doubt"),
    Status.UNPROVEN: ("··", "doubt"),
    Status.BROKEN: ("╱╱", "change"),
}
"""As on every seam: proven, carries nothing, doubtful, not known, must change."""
MEANS = {
    Status.WORKING: "works", Status.IDLE: "stands, nothing sent", Status.DEGRADED: "works in part",
    Status.UNPROVEN: "not proven", Status.BROKEN: "broken",
}  # fmt: skip
LEAST, MOST = 6, 14
"""Columns of a hub's name."""
LEAST_SAYS = 16
"""Columns from which on a site's sentence has room beside its marks."""


@dataclass(frozen=True, slots=True)
class Columns:
    """How the table is divided; `shown` hubs of all have room."""

    name: int
    lans: int
    cell: int
    shown: int
    says: int


def columns(drawing: SitesDrawing, width: int) -> Columns:
    """Names get what they need within bounds, the networks what is left."""
    name = max(8, min(22, max((len(r.title) for r in drawing.rows), default=8) + 2, width // 4))
    lans = 36 if width >= 110 else 20 if width >= 70 else 0
    cell = max(LEAST, min(MOST, max((len(t) for _, t in drawing.columns), default=LEAST) + 2))
    room = max(1, (width - 2 - name - lans) // cell)
    if room < len(drawing.columns):
        cell = max(LEAST, (width - 2 - name - lans) // max(1, len(drawing.columns)))
        room = max(1, (width - 2 - name - lans) // cell)
    shown = min(room, len(drawing.columns))
    return Columns(name, lans, cell, shown, width - 2 - name - lans - cell * shown)


def header(drawing: SitesDrawing, cols: Columns) -> Line:
    """The hubs' names over their columns."""
    line: Line = [("  " + " " * cols.name, "plain")]
    if cols.lans:
        line.append((left("networks", cols.lans), "faint"))
    line += [(left(cut(title, cols.cell - 1), cols.cell), "muted") for _, title in drawing.columns[: cols.shown]]
    if cols.shown < len(drawing.columns):
        line.append((f"+{len(drawing.columns) - cols.shown}", "faint"))
    return line


def row(drawing: SitesDrawing, site: SiteRow, cols: Columns) -> Line:
    """One site: its name, its networks, a mark for each tunnel under the hub that it leads to."""
    line: Line = [("  ", "plain"), (left(cut(site.title, cols.name - 1), cols.name), "strong")]
    if cols.lans:
        more = f" +{len(site.lans) - 2}" if len(site.lans) > 2 else ""
        line.append((left(cut("  ".join(site.lans[:2]) + more, cols.lans - 2), cols.lans), "source"))
    for hub, _ in drawing.columns[: cols.shown]:
        line += _cell(site, hub, cols.cell)
    brief = _brief(site)
    if brief is not None and cols.says >= LEAST_SAYS:
        line += [("  ", "plain"), (cut(brief.text, cols.says - 2), brief.tone)]
    return line


def _brief(site: SiteRow) -> Say | None:
    """The gravest sentence of a site."""
    for tone in ("change", "doubt"):
        found = next((say for say in site.says if say.tone == tone), None)
        if found is not None:
            return found
    return next((say for say in site.says if say.tone != "muted"), None)


def _cell(site: SiteRow, hub: str, width: int) -> Line:
    if site.site == hub:
        return [(left("◦", width), "faint")]
    found = site.cells.get(hub, ())
    spans: Line = []
    used = 0
    for d in found:
        mark, tone = MARKS[d.status]
        if used + len(mark) + 1 > width:
            break
        spans += [(mark, tone), (" ", "plain")]
        used += len(mark) + 1
    return [*spans, (" " * (width - used), "plain")]


def top(drawing: SitesDrawing, width: int) -> list[Line]:
    """What is said of all sites together."""
    built: list[Line] = []
    for say in drawing.words:
        built += paragraph(say.text, "!strong" if say.tone == "strong" else say.tone, width, 2)
    return [*built, []]


def foot(drawing: SitesDrawing, site: SiteRow | None, width: int) -> list[Line]:
    """What is said of the chosen site, then what is wanted and is not so elsewhere, then what the marks mean."""
    built: list[Line] = [[]]
    for say in _said(site):
        built += paragraph(say.text, say.tone, width, 2)
    wrong = [j for j in drawing.relations if j.holds is False and (site is None or site.site not in (j.left, j.right))]
    if wrong:
        built += [[], [("  wanted otherwise, at other sites", "muted"), (f"  {len(wrong)}", "faint")]]
        for one in wrong:
            built += paragraph(one.says, "change", width, 2)
    seen = {d.status for r in drawing.rows for cell in r.cells.values() for d in cell}
    legend: Line = [("  ", "plain")]
    for status, (mark, tone) in MARKS.items():
        if status in seen:
            legend += [(mark, tone), (f" {MEANS[status]}   ", "faint")]
    return [*built, [], legend]


def _said(site: SiteRow | None) -> tuple[Say, ...]:
    if site is None:
        return ()
    if site.says:
        return site.says
    ways = sum(len(cell) for cell in site.cells.values())
    return (
        Say(
            f"{site.title}: tunnels gather here; the rows below lead to it." if not ways else f"{site.title}.", "muted"
        ),
    )
