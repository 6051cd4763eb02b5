"""A failover as lines: lanes on one clock, the outage as a bar of its parts, what the timers promise beneath, and what happened."""

from __future__ import annotations

from stomion.diagnosis.runner import Diagnosis
from stomion.model.finding import Stage
from stomion.model.provenance import Provenance
from stomion.tui.pages.tunnels import remedies
from stomion.tui.spans import Line, clip, cut, left, paragraph
from stomion.tunnel.timers import Part, Prediction
from stomion.views.failover import FailoverDrawing, Lane
from stomion.vocabulary.durations import span_text
from stomion.vocabulary.times import clock_text

Built = list[tuple[Line, Provenance | None]]
NAME, OF = 11, 18
"""Columns of a lane's name and of whose it is."""
TAIL = 3
_KINDS = {"stands": ("━", "proven"), "coming": ("┅", "doubt"), "gone": (" ", "faint"), "unknown": ("·", "faint")}
_HEIGHTS = "▁▂▃▄▅▆▇"
_PARTS = {
    "detection": "until detected",
    "negotiation": "negotiated",
    "route": "route moved",
    "return": "answered again",
}


def plot_width(width: int) -> int:
    """Cells of the time axis."""
    return max(20, width - NAME - OF - TAIL - 2)


def page(
    drawing: FailoverDrawing,
    diagnosis: Diagnosis,
    width: int,
    view: tuple[float, float],
    cursor: int,
    tried: Prediction | None,
) -> Built:
    """`view` is the part of the time that is shown, `cursor` the cell that is read out, `tried` the timers that are being tried."""
    plot = plot_width(width)
    built: Built = [([], None), (_head(drawing), None), ([], None), (_axis(view, plot), None)]
    for lane in drawing.lanes:
        built.append((_lane(lane, view, plot), None))
    built += [(_ticks(drawing, view, plot, cursor), None), (_under(drawing, view, plot, cursor), None), ([], None)]
    built += [(line, None) for line in _measured(drawing, tried, width)]
    built.append(([], None))
    built += _judged(diagnosis, width)
    built += _happened(drawing, width)
    return [(clip(line, width), where) for line, where in built]


def _head(drawing: FailoverDrawing) -> Line:
    return [
        ("  ", "plain"), (f"{drawing.primary.name}", "!strong"), (" primary   ", "muted"), (f"{drawing.standby.name}", "!strong"),
        (" standby   ", "muted"), (f"switch {drawing.number + 1} of {drawing.count}, at {drawing.end.title}", "muted"),
    ]  # fmt: skip


def moment_of(view: tuple[float, float], plot: int, cell: float) -> float:
    """The moment that a cell of the axis stands for."""
    return view[0] + (view[1] - view[0]) * cell / max(plot - 1, 1)


def cell_of(view: tuple[float, float], plot: int, moment: float) -> int:
    """The cell of a moment, within the axis."""
    share = (moment - view[0]) / max(view[1] - view[0], 1e-9)
    return max(0, min(plot - 1, round(share * (plot - 1))))


def _axis(view: tuple[float, float], plot: int) -> Line:
    count = max(2, min(7, plot // 18))
    cells = [" "] * (plot + 12)
    fine = view[1] - view[0] < FINE_S
    for number in range(count):
        cell = round(number * (plot - 1) / (count - 1))
        text = clock_text(moment_of(view, plot, cell))[: 10 if fine else 8]
        begin = min(cell, plot - len(text))
        cells[begin : begin + len(text)] = text
    return [(" " * (NAME + OF + 2), "plain"), ("".join(cells).rstrip(), "muted")]


FINE_S = 120.0
"""Span below which the axis shows tenths of a second."""


def _lane(lane: Lane, view: tuple[float, float], plot: int) -> Line:
    head: Line = [("  " + left(lane.name, NAME), "muted"), (left(cut(lane.of, OF - 1), OF), "muted")]
    if lane.shares is not None:
        return [*head, *_cells(lane, view, plot)]
    cells: list[tuple[str, str]] = [(" ", "plain")] * plot
    for stretch in lane.stretches:
        if stretch.until < view[0] or stretch.since > view[1]:
            continue
        first, last = cell_of(view, plot, stretch.since), cell_of(view, plot, stretch.until)
        sign, tone = _KINDS[stretch.kind]
        inside = stretch.since >= view[0]
        for cell in range(first, last + 1):
            cells[cell] = (sign, tone)
        if stretch.kind == "stands" and inside and first:
            cells[first] = ("╺", tone)
        if stretch.kind == "stands" and stretch.until < view[1] and not stretch.label:
            cells[last] = ("╸", tone)
        label = cut(stretch.label, max(0, last - first - 2))
        for offset, letter in enumerate(f"{label} " if label else ""):
            cells[first + offset] = (letter, "plain")
    for at, sign, tone in lane.signs:
        if view[0] <= at <= view[1]:
            cells[cell_of(view, plot, at)] = (sign, f"!{tone}")
    return [*head, *_joined(cells)]


def _cells(lane: Lane, view: tuple[float, float], plot: int) -> Line:
    cells: list[tuple[str, str]] = []
    assert lane.shares is not None
    last = ("·", "faint")
    for cell in range(plot):
        share = lane.shares(moment_of(view, plot, cell - 0.5), moment_of(view, plot, cell + 0.5))
        if share is not None:
            tone = "proven" if share > WHOLE else "change" if share < 1 - WHOLE else "doubt"
            last = (_HEIGHTS[round(share * (len(_HEIGHTS) - 1))], tone)
        # Finer than the probes: a cell without one fares as the one before.
        cells.append(last)
    return _joined(cells)


WHOLE = 0.95


def _joined(cells: list[tuple[str, str]]) -> Line:
    line: Line = []
    for text, tone in cells:
        if line and line[-1][1] == tone:
            line[-1] = (line[-1][0] + text, tone)
        else:
            line.append((text, tone))
    return line


def _ticks(drawing: FailoverDrawing, view: tuple[float, float], plot: int, cursor: int) -> Line:
    cells: list[tuple[str, str]] = [(" ", "plain")] * plot
    for one in drawing.happened:
        if view[0] <= one.at <= view[1]:
            cells[cell_of(view, plot, one.at)] = ("╵", "source")
    cells[max(0, min(cursor, plot - 1))] = ("▴", "!strong")
    return [(" " * (NAME + OF + 2), "plain"), *_joined(cells)]


def _under(drawing: FailoverDrawing, view: tuple[float, float], plot: int, cursor: int) -> Line:
    """The moment under the cursor, from the loss on, and what happened next to it."""
    at = moment_of(view, plot, cursor)
    begin = drawing.switch.loss if drawing.switch.loss is not None else drawing.switch.detected
    step = (view[1] - view[0]) / max(plot - 1, 1)
    near = [h for h in drawing.happened if abs(h.at - at) <= step]
    gap = at - begin
    said = f"{span_text(abs(gap))} {'after' if gap >= 0 else 'before'} the loss"
    line: Line = [("  at ", "muted"), (clock_text(at), "!strong"), (f"   {said}", "muted")]
    if near:
        closest = min(near, key=lambda h: abs(h.at - at))
        line.append((f"   ╵ {closest.text}", "source"))
    return line


BAR = 56
"""Cells of the longest bar of the outage."""


def _measured(drawing: FailoverDrawing, tried: Prediction | None, width: int) -> list[Line]:
    """The outage and its parts as a bar, the prediction beneath in the same measure, and the part that is too long."""
    switch = drawing.switch
    begin = switch.loss if switch.loss is not None else switch.detected
    total = switch.restored - begin if switch.restored is not None else None
    rows: list[Line] = []
    promised = [("promised", drawing.prediction)] if drawing.prediction is not None else []
    promised += [("tried", tried)] if tried is not None else []
    longest = max(
        [total or 0.0, *(p.whole[1] for _, p in promised), *(sum(x.seconds for x in drawing.parts),)], default=0.0
    )
    room = max(10, min(BAR, width - NAME - OF - 40))
    scale = room / longest if longest > 0 else 0.0
    said = span_text(total) if total is not None else "not over"
    bar: Line = [("  " + left("measured", NAME), "muted"), (left(said, OF), "!strong")]
    for number, part in enumerate(drawing.parts):
        cells = max(1, round(part.seconds * scale)) if part.seconds > 0 else 0
        bar.append((("┃" if number == 0 else "") + "━" * max(0, cells - 1) + ("┃" if cells else ""), _part_tone(part)))
    bar.append((f"   {switch.lost:,} pings lost" if switch.lost else "", "change"))
    rows.append(bar)
    for label, prediction in promised:
        best, worst = prediction.whole
        words = f"{_short(best)} – {_short(worst)} s"
        sure, more = round(best * scale), round((worst - best) * scale)
        tone = "source" if label == "tried" else "muted"
        rows.append(_row(label, words, [("┄" * sure + "╌" * more, tone), (f"   {prediction.words}", "faint")], tone))
    listed: Line = []
    for part in drawing.parts:
        listed += [(f"{_short(part.seconds)} s ", _part_tone(part)), (f"{_PARTS[part.name]}   ", "plain")]
    rows.append(_row("", "", listed))
    over = max((p for p in drawing.parts if p.over > OVER_S), key=lambda p: p.over, default=None)
    if over is not None:
        text = f"{_PARTS[over.name]}: {_short(over.over)} s longer than its timers promise"
        rows += paragraph(text, "change", width - NAME - OF - 2, NAME + OF + 2)
    if switch.link_back is not None and switch.returned is not None:
        back = (
            f"{_short(switch.returned - switch.link_back)} s after the link came back, {switch.lost_back:,} pings lost"
        )
        rows.append(_row("failback", "", [(back, "plain")]))
    elif switch.back is not None and switch.returned is None:
        rows.append(_row("failback", "", [("the primary stands again, traffic stays", "doubt")]))
    return rows


def _row(label: str, words: str, rest: Line, tone: str = "!strong") -> Line:
    return [("  " + left(label, NAME), "muted"), (left(words, OF), tone), *rest]


OVER_S = 1.0
"""Seconds beyond its timers from which on a part stands out."""


def _part_tone(part: Part) -> str:
    return "change" if part.over > OVER_S else {"detection": "doubt", "negotiation": "source"}.get(part.name, "plain")


def _short(seconds: float) -> str:
    return f"{seconds:.1f}" if seconds < 100 else f"{seconds:,.0f}"


def _judged(diagnosis: Diagnosis, width: int) -> Built:
    """The first finding of the stage failover, with its remedies."""
    for index, finding in enumerate(diagnosis.findings):
        if finding.stage is not Stage.FAILOVER:
            continue
        built: Built = [(line, None) for line in paragraph(finding.summary, "!strong", width - 4, 2)]
        head: Line = [("  ", "plain"), (f"{finding.stage.value} · {finding.certainty.value}", "muted")]
        built.append((head, finding.evidence[0] if finding.evidence else None))
        if finding.detail:
            built += [(line, None) for line in paragraph(finding.detail, "muted", width - 4, 2)]
        built += [(line, None) for line in remedies(diagnosis, width - 2, index)]
        return [*built, ([], None)]
    return []


def _happened(drawing: FailoverDrawing, width: int) -> Built:
    built: Built = [([("  what happened", "!source")], None)] if drawing.happened else []
    for one in drawing.happened:
        line: Line = [
            ("  ", "plain"),
            (clock_text(one.at), "muted"),
            ("  ╵ ", "source"),
            (cut(one.text, width - 20), "plain"),
        ]
        built.append((line, one.where))
    return built
