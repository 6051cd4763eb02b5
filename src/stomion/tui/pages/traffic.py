"""Traffic as lines: the matrix of who reaches whom, strips of continuous pings, and the ladder from near to far."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.model.provenance import Provenance
from stomion.tui.spans import Line, clip, cut, left, paragraph
from stomion.views.traffic import MARKS, MEANS, Entry, Matrix, Rung, Strip, TrafficDrawing, first_failing
from stomion.vocabulary.times import clock_text
from stomion.whatif.needed import Needs

NAMES = 24
"""Columns of the sources' names."""
CELL = 22
"""Columns of a target, at least."""
PLOT_MOST = 130


@dataclass(frozen=True, slots=True)
class Item:
    """What a line stands for: a place of proof, or a source's row of a matrix."""

    place: Provenance | None = None
    matrix: Matrix | None = None
    source: str = ""


Built = list[tuple[Line, Item]]


def columns_of(matrix: Matrix, width: int) -> tuple[int, int]:
    """(targets side by side, columns of each)."""
    room = max(CELL, width - NAMES - 4)
    count = max(1, min(len(matrix.targets), room // CELL))
    return count, min(40, room // count)


def page(drawing: TrafficDrawing, width: int, column: int, needs: Needs | None = None) -> Built:
    """`column` is the target under the cursor, counted over all targets of a matrix."""
    built: Built = [([], Item())]
    for matrix in drawing.matrices:
        built += _matrix(matrix, width, column)
    if drawing.matrices:
        built += [(_legend(drawing), Item()), ([], Item())]
    for strip in drawing.strips:
        built += _strip(strip, width)
    for end, rungs in drawing.ladders:
        if any(r.fares for r in rungs):
            built.append(
                (
                    _ladder(end.title, rungs, width),
                    Item(place=next((r.attempt.where for r in rungs if r.attempt), None)),
                )
            )
            failing = first_failing(rungs)
            if failing is not None and failing.attempt is not None:
                text = f"the first that fails, of those that were tried, is {failing.name}: {failing.attempt.says}"
                built += [(line, Item(place=failing.attempt.where)) for line in paragraph(text, "change", width - 6, 4)]
    return [(clip(line, width), item) for line, item in built + _lacking(drawing, needs, width)]


def _lacking(drawing: TrafficDrawing, needs: Needs | None, width: int) -> Built:
    """The fewest changes after which all that is wanted would pass, in their order."""
    if needs is None or not needs.changes:
        return []
    flows = "1 flow" if needs.mended == 1 else f"{needs.mended} flows"
    built: Built = [([], Item()), ([("  ", "plain"), (f"lacking, by the tables, for {flows}", "muted")], Item())]
    titles = {e.site: e.title for e in drawing.picture.ends}
    for number, need in enumerate(needs.changes, 1):
        name = titles.get(need.site, need.site) + (f"/{need.host}" if need.host else "")
        first, *rest = paragraph(need.words, "plain", width - NAMES - 4, 0)
        built.append(([("  ", "plain"), (left(f"{number}  {name}", NAMES), "change"), *first], Item()))
        built += [([(" " * (NAMES + 2), "plain"), *line], Item()) for line in rest]
    if needs.left:
        count = len(needs.left)
        built.append(
            (
                [(" " * (NAMES + 2), "plain"), (f"{count} more would still fail, for causes no rule mends", "muted")],
                Item(),
            )
        )
    return built


def _matrix(matrix: Matrix, width: int, column: int) -> Built:
    count, cell = columns_of(matrix, width)
    chosen = min(column, len(matrix.targets) - 1)
    first = chosen // count * count
    shown = matrix.targets[first : first + count]
    more = len(matrix.targets) - len(shown)
    head: Line = [("  ", "plain"), (left(f"from {matrix.end.title}", NAMES), "!strong")]
    for number, target in enumerate(shown, first):
        head.append((left(f"{target}", cell), "!source" if number == chosen else "muted"))
    if more:
        head.append((f" +{more}", "faint"))
    built: Built = [(head, Item())]
    for source in matrix.sources:
        rows = [_cell(matrix.cells.get((source, target), ()), cell) for target in shown]
        for number in range(max(len(r) for r in rows)):
            line: Line = [("  ", "plain"), (left(source if number == 0 else "", NAMES), "plain")]
            for parts in rows:
                line += parts[number] if number < len(parts) else [(" " * cell, "plain")]
            built.append((line, Item(matrix=matrix, source=source) if number == 0 else Item()))
    return [*built, ([], Item())]


def _cell(entries: tuple[Entry, ...], cell: int) -> list[Line]:
    """The services of a cell, as many on a line as fit."""
    lines: list[Line] = []
    line: Line = []
    used = 0
    for entry in entries:
        sign, tone = MARKS[entry.fares]
        text = cut(entry.name, cell - 4)
        size = len(text) + 3
        if line and used + size > cell - 1:
            lines.append([*line, (" " * (cell - used), "plain")])
            line, used = [], 0
        line += [(f"{text} ", "plain"), (f"{sign} ", tone)]
        used += size
    lines.append([*line, (" " * max(0, cell - used), "plain")])
    return lines


def _legend(drawing: TrafficDrawing) -> Line:
    kinds = {e.fares for m in drawing.matrices for cell in m.cells.values() for e in cell}
    line: Line = [("  ", "plain")]
    for kind, (sign, tone) in MARKS.items():
        if kind in kinds:
            line += [(f"{sign} ", tone), (f"{MEANS[kind]}   ", "muted")]
    return line


def detail(matrix: Matrix, source: str, column: int, width: int) -> list[tuple[Line, Provenance]]:
    """Every attempt of a cell in words, with what the tables say."""
    target = matrix.targets[min(column, len(matrix.targets) - 1)]
    rows: list[tuple[Line, Provenance]] = []
    for entry in matrix.cells.get((source, target), ()):
        sign, tone = MARKS[entry.fares]
        at = f" at {clock_text(entry.attempt.at)[:8]}" if entry.attempt.at is not None else ""
        said = (
            f"{entry.attempt.says}{at}"
            if entry.fares != "untried"
            else f"{entry.name} to {entry.attempt.to}: nobody tried it"
        )
        tail = f"; {entry.says}" if entry.says else ""
        first, *rest = paragraph(f"{said}; {MEANS[entry.fares]}{tail}", "plain", width - 6, 0)
        rows.append(([("  ", "plain"), (f"{sign} ", tone), *first], entry.attempt.where))
        rows += [([("    ", "plain"), *line], entry.attempt.where) for line in rest]
    return rows


_HEIGHTS = "▁▂▃▄▅▆▇"


def _strip(strip: Strip, width: int) -> Built:
    series = strip.series
    plot = max(20, min(PLOT_MOST, width - 4))
    lost = len(series.answered) - sum(series.answered)
    head = f"ping {series.source} > {series.to}   {len(series.answered):,} probes, {lost:,} lost"
    times = [at for at in series.times if at is not None]
    if times:
        head += f"   {clock_text(times[0])[:8]} – {clock_text(times[-1])[:8]}"
    cells: Line = [("  ", "plain")]
    for share in strip.shares(min(plot, len(series.answered))):
        glyph = " " if share is None else _HEIGHTS[round(share * (len(_HEIGHTS) - 1))]
        tone = (
            "faint" if share is None else "proven" if share > HEALTHY else "change" if share < 1 - HEALTHY else "doubt"
        )
        if cells[-1][1] == tone:
            cells[-1] = (cells[-1][0] + glyph, tone)
        else:
            cells.append((glyph, tone))
    built: Built = [([("  ", "plain"), (head, "!strong")], Item(place=series.where)), (cells, Item())]
    for gap in strip.breaks[:BREAKS_SHOWN]:
        built += [
            (line, Item(place=gap.change.where if gap.change else series.where))
            for line in paragraph(f"╵ {gap.says}", "doubt", width - 4, 2)
        ]
    if len(strip.breaks) > BREAKS_SHOWN:
        built.append(([("  ", "plain"), (f"and {len(strip.breaks) - BREAKS_SHOWN} more breaks", "muted")], Item()))
    return [*built, ([], Item())]


HEALTHY = 0.95
"""Share of answers from which on a piece of a ping is whole."""
BREAKS_SHOWN = 6


NARROW = 120
"""Columns below which the steps that nobody tried are left out of the ladder."""


def _ladder(title: str, rungs: tuple[Rung, ...], width: int) -> Line:
    line: Line = [("  ", "plain"), (left(f"near to far, {title}", NAMES + 8), "muted")]
    for rung in rungs:
        if width < NARROW and not rung.fares:
            continue
        sign, tone = MARKS[rung.fares] if rung.fares else ("·", "faint")
        line += [(f"{rung.name} ", "plain" if rung.fares else "faint"), (f"{sign}   ", tone)]
    return line
