"""The counters of both ends as lines: a band for each direction over one time axis, what is under the cursor, and the SA pairs."""

from __future__ import annotations

from stomion.diagnosis.runner import Diagnosis
from stomion.model.finding import Stage
from stomion.model.provenance import Provenance
from stomion.model.sa import Sa
from stomion.tui.braille import ACROSS, chart
from stomion.tui.pages.tunnels import remedies
from stomion.tui.spans import Line, clip, cut, left, paragraph, right, wrap
from stomion.views.counters import Band, CountersDrawing, PairRow
from stomion.vocabulary.durations import span_text
from stomion.vocabulary.times import clock_text

Built = list[tuple[Line, Provenance | None]]
LABEL, TAIL = 16, 30
"""Columns before the bands, and behind them for their reading."""


def plot_width(width: int) -> int:
    """Cells of a band."""
    return max(20, width - LABEL - min(TAIL, max(12, width // 4)) - 4)


def page(
    drawing: CountersDrawing, diagnosis: Diagnosis, width: int, height: int, cursor: int, *, rate: bool = False
) -> Built:
    """`cursor` is the cell of the time axis that is read out; `rate` draws what went in each cell's time instead of the sums."""
    plot = plot_width(width)
    band_height = max(3, min(8, (height - 20) // 2))
    built: Built = [(_ends(drawing, plot, width), None)]
    for band in drawing.bands:
        built += [(line, None) for line in _band(drawing, band, plot, width, band_height, rate)]
        built.append(([], None))
    built.append((_axis(drawing, plot), None))
    built.append((_ticks(drawing, plot, cursor), None))
    built += [(line, None) for line in _under(drawing, plot, cursor, width)]
    built.append(([], None))
    built += _judged(diagnosis, width)
    built += _table(drawing, width)
    for label, words in (("up", drawing.up), ("thrown away", drawing.errors), ("ahead", drawing.ahead)):
        if words:
            built += [(line, None) for line in _labelled(label, "; ".join(words), width)]
    built.append(([], None))
    built += _marks(drawing, width)
    return [(clip(line, width), where) for line, where in built]


def _ends(drawing: CountersDrawing, plot: int, width: int) -> Line:
    names = f"  {drawing.picture.left.title}"
    gap = LABEL + 2 + plot - len(names)
    return [
        (names, "!strong"),
        (" " * max(1, gap), "plain"),
        (cut(drawing.picture.right.title, width - plot - LABEL - 2), "!strong"),
    ]


def moment_of(drawing: CountersDrawing, plot: int, cell: float) -> float:
    """The moment that a cell of the axis stands for."""
    return drawing.since + (drawing.until - drawing.since) * cell / max(plot - 1, 1)


def _values(drawing: CountersDrawing, band: Band, plot: int, rate: bool) -> list[tuple[float | None, float | None]]:
    """(left, arrived) for every half cell: so far, or within the time of a cell."""
    halves = [band.values(moment_of(drawing, plot, column / ACROSS)) for column in range(-ACROSS, plot * ACROSS)]
    if not rate:
        return halves[ACROSS:]
    return [
        (_less(now[0], before[0]), _less(now[1], before[1]))
        for before, now in zip(halves, halves[ACROSS:], strict=False)
    ]


def _less(now: float | None, before: float | None) -> float | None:
    return None if now is None or before is None else now - before


def _band(drawing: CountersDrawing, band: Band, plot: int, width: int, height: int, rate: bool) -> list[Line]:
    values = _values(drawing, band, plot, rate)
    most = max((v for pair in values for v in pair if v is not None), default=0)
    drawn = chart([s for s, _ in values], [g for _, g in values], max(most, 1), height)
    mine = band.sender is drawing.picture.left
    sums = (band.sent.sums[0] if band.sent else None, band.got.sums[1] if band.got else None)
    near, far = (("out", sums[0]), ("in", sums[1])) if mine else (("in", sums[1]), ("out", sums[0]))
    room = max(10, width - LABEL - plot - 5)
    glyph = {"proven": "━━", "change": "╱╱", "doubt": "╍╍"}.get(band.tone, "··")
    tails: list[tuple[str, str]] = [(part, band.tone) for part in wrap(f"{glyph} {band.says}", room)][: height - 1]
    tails = [("", "plain")] * (height - 1 - len(tails)) + tails + [(_sum(far, after=True), "strong")]
    lines: list[Line] = []
    for number, (cells, tail) in enumerate(zip(drawn, tails, strict=True)):
        label = (
            _sum(near)
            if number == height - 1
            else f"{'→' if mine else '←'} {'each' if rate else 'so far'}"
            if number == 0
            else ""
        )
        tone = "strong" if number == height - 1 else "muted"
        lines.append([("  " + left(label, LABEL - 1) + " ", tone), *cells, (f"  {cut(tail[0], room)}", tail[1])])
    return lines


def _sum(pair: tuple[str, int | None], *, after: bool = False) -> str:
    word, count = pair
    number = f"{count:,}" if count is not None else "··"
    return f"{number} {word}" if after else f"{left(word, 4)}{right(number, LABEL - 6)}"


def _axis(drawing: CountersDrawing, plot: int) -> Line:
    """Moments at regular places, as many as fit."""
    count = max(2, min(7, plot // 16))
    cells = [" "] * (plot + 10)
    long = drawing.until - drawing.since > SECONDS_SHOWN
    for number in range(count):
        cell = round(number * (plot - 1) / (count - 1))
        text = clock_text(moment_of(drawing, plot, cell))[: 5 if long else 8]
        begin = min(cell, plot + 10 - len(text))
        cells[begin : begin + len(text)] = text
    return [(" " * (LABEL + 2), "plain"), ("".join(cells), "muted")]


SECONDS_SHOWN = 6 * 3600
"""Span above which the axis shows minutes alone."""


def _ticks(drawing: CountersDrawing, plot: int, cursor: int) -> Line:
    """A sign where something happened, and the cursor."""
    cells: list[tuple[str, str]] = [(" ", "plain")] * plot
    for mark in drawing.marks:
        share = (mark.at - drawing.since) / (drawing.until - drawing.since)
        cells[max(0, min(plot - 1, round(share * (plot - 1))))] = ("╵", mark.tone)
    cells[max(0, min(cursor, plot - 1))] = ("▴", "!strong")
    return [(" " * (LABEL + 2), "plain"), *cells]


def _under(drawing: CountersDrawing, plot: int, cursor: int, width: int) -> list[Line]:
    """What the two bands did in the cell of the cursor, and what happened there."""
    at = moment_of(drawing, plot, cursor)
    step = (drawing.until - drawing.since) / max(plot - 1, 1)
    parts = []
    for band in drawing.bands:
        before, after = band.values(at - step), band.values(at)
        moved = ["··" if a is None or b is None else f"+{round(b - a):,}" for a, b in zip(before, after, strict=True)]
        parts.append(f"{band.sender.title} {moved[0]} out, {band.receiver.title} {moved[1]} in")
    mark = drawing.mark_near(at, step)
    head: Line = [
        ("  at ", "muted"),
        (clock_text(at), "!strong"),
        (f"  in {span_text(step)}:  ", "muted"),
        (cut(" · ".join(parts), width - 40), "plain"),
    ]
    return [head, [("  ", "plain"), (f"╵ {mark.text}", mark.tone)] if mark is not None else []]


def _judged(diagnosis: Diagnosis, width: int) -> Built:
    """The first finding of the stage carriage, with its remedies."""
    for index, finding in enumerate(diagnosis.findings):
        if finding.stage is not Stage.CARRIAGE:
            continue
        built: Built = [(line, None) for line in paragraph(finding.summary, "!strong", width - 4, 2)]
        built.append(
            (
                [("  ", "plain"), (f"{finding.stage.value} · {finding.certainty.value}", "muted")],
                finding.evidence[0] if finding.evidence else None,
            )
        )
        built += [(line, None) for line in remedies(diagnosis, width - 2, index)]
        return [*built, ([], None)]
    return []


_COLUMNS = (
    ("SA pair", 10),
    ("in at {left}", 14),
    ("out at {left}", 14),
    ("algorithms", 34),
    ("PFS", 5),
    ("up", 11),
    ("rekey in", 11),
)


def _table(drawing: CountersDrawing, width: int) -> Built:
    """Pairs newest first: SPIs as the left end sees them, and packets and bytes as each end counted them."""
    if not drawing.pairs:
        return []
    name = drawing.picture.left.title
    wide = width >= WIDE
    heads = [
        (text.format(left=name), columns) for text, columns in _COLUMNS if wide or text not in ("algorithms", "PFS")
    ]
    line: Line = [
        ("  ", "plain"),
        *((left(text, columns) + " ", "muted") for text, columns in heads),
        ("packets out / in at either end", "muted"),
    ]
    built: Built = [(line, None)]
    for number, pair in enumerate(drawing.pairs[:PAIRS_SHOWN]):
        built.append((_pair(pair, number, width, wide), pair.any.where))
    older = len(drawing.pairs) - PAIRS_SHOWN
    if older > 0:
        built.append(([("  ", "plain"), (f"and {older:,} older pairs", "muted")], None))
    return [*built, ([], None)]


PAIRS_SHOWN = 4
"""Pairs of a table; the older ones carry nothing any more."""


WIDE = 130
"""Columns from which on the table has all its columns."""


def _pair(pair: PairRow, number: int, width: int, wide: bool) -> Line:
    sa = pair.any
    seen_in, seen_out = (pair.left.spi_in, pair.left.spi_out) if pair.left else (sa.spi_out, sa.spi_in)
    up = pair.born
    rekey = min(
        (s.rekey_in_s for s in (pair.left, pair.right) if s is not None and s.rekey_in_s is not None), default=None
    )
    state = sa.state.value if sa.state is not None else ""
    cells = [
        (("now" if state == "up" else state) if number == 0 else state or "before", 10),
        (seen_in or "··", 14),
        (seen_out or "··", 14),
    ]
    if wide:
        algorithms = " · ".join(x for x in (sa.encryption, sa.integrity) if x) or "··"
        cells += [(algorithms, 34), (sa.group or "··", 5)]
    cells += [
        (clock_text(up)[:8] if up is not None else "··", 11),
        (span_text(rekey) if rekey is not None and number == 0 else "–", 11),
    ]
    counts = "   ".join(_counts(s) for s in (pair.left, pair.right))
    tone = "plain" if number == 0 else "muted"
    return [
        ("  ", "plain"),
        *((left(text, columns) + " ", tone) for text, columns in cells),
        (cut(counts, max(10, width - 60)), tone),
    ]


def _counts(sa: Sa | None) -> str:
    if sa is None:
        return "not listed"
    if sa.packets_out is None and sa.packets_in is None:
        return "·· / ··"
    return f"{sa.packets_out or 0:,} / {sa.packets_in or 0:,}"


def _labelled(label: str, text: str, width: int) -> list[Line]:
    first, *rest = paragraph(text, "plain", width - LABEL - 4, 0)
    return [[("  " + left(label, LABEL), "muted"), *first], *([(" " * (LABEL + 2), "plain"), *line] for line in rest)]


def _marks(drawing: CountersDrawing, width: int) -> Built:
    built: Built = [([("  what happened meanwhile", "!source")], None)] if drawing.marks else []
    for mark in drawing.marks:
        line: Line = [
            ("  ", "plain"),
            (clock_text(mark.at), "muted"),
            ("  ╵ ", mark.tone),
            (cut(mark.text, width - 20), "plain"),
        ]
        built.append((line, mark.where))
    return built
