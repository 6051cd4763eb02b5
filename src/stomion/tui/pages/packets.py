"""All packets between the two LANs as maps: sources down, destinations across, before and after what is being tried."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.space.packetwords import packets_text, range_text, services_text
from stomion.tui.pages.path import Built, Stop
from stomion.tui.spans import Line, cut, left, right
from stomion.tunnel.flows import Flows
from stomion.tunnel.picture import Picture
from stomion.views.packetmap import PacketMap, Part, packet_map
from stomion.walk.journey import Share
from stomion.walk.passage import Fate

LABEL = 22
MOST_ROWS = 6
"""Lines of a legend."""
MARKS = {
    Fate.CARRIED: ("█", "proven"),
    Fate.TRANSLATED: ("▚", "change"),
    Fate.LEAKED: ("▒", "change"),
    Fate.DROPPED: ("░", "doubt"),
    Fate.LOST: ("╳", "change"),
    Fate.LOOPING: ("@", "change"),
    Fate.LOCAL: ("·", "faint"),
    Fate.UNCERTAIN: ("?", "doubt"),
}


@dataclass(frozen=True, slots=True)
class Chart:
    """One direction's maps, as it is and as it would be (None while nothing is tried), with the columns of each field."""

    now: PacketMap
    then: PacketMap | None
    widths: tuple[int, ...]
    index: int

    def clamp(self, column: int) -> int:
        """The column that is drawn for a wished one."""
        return max(0, min(column, len(self.now.columns) - 1))


def charts_of(flows: Flows, tried: Flows | None, width: int) -> list[Chart]:
    """A chart for each direction whose packets are known."""
    room = (width - LABEL - 6) // (2 if tried is not None else 1)
    room = max(8, min(room - 4, 60))
    out = []
    for index, shares in enumerate(flows.shares):
        if not shares:
            continue
        after = tried.shares[index] if tried is not None else ()
        now, then = packet_map(shares, after, (10, room // 2))
        widths = _widths(len(now.columns), room)
        out.append(Chart(now, then if tried is not None else None, widths, index))
    return out


def _widths(count: int, room: int) -> tuple[int, ...]:
    """Columns of each field: all alike, the rest of the room to the first ones."""
    each, more = divmod(room, count)
    return tuple(each + (1 if i < more else 0) for i in range(count))


def page(charts: list[Chart], picture: Picture, width: int, name: str, down: bool = False) -> Built:
    """The maps of both directions; `name` is the try that the right-hand ones show. Rows are drawn by `row_line`.

    `down`: the tunnel does not stand, so that the maps tell what would be.
    """
    would = ", were the tunnel up" if down else ""
    built: Built = [([(f"  all packets between the two LANs{would}", "!source")], None)]
    if not charts:
        return [
            *built,
            ([("  not known: an end's tables or ranges are missing, or they fall into too many parts", "faint")], None),
        ]
    for chart in charts:
        ends = picture.ends if chart.index == 0 else picture.ends[::-1]
        built.append((_heading(chart, f"{ends[0].title} to {ends[1].title}", ends[1].title, name), None))
        built.append((_ruler(chart), None))
        for row in range(len(chart.now.rows)):
            built.append(([], Stop(row=row, index=chart.index)))
        then = chart.then.shares if chart.then is not None else None
        built += [(line, None) for line in _legend(chart.now.shares, then, width)]
        built.append(([], None))
    return built


def _heading(chart: Chart, way: str, far: str, name: str) -> Line:
    total = sum(chart.widths)
    line: Line = [
        ("  " + left(way, LABEL), "!strong"),
        (left(cut(f"to {far}" + (", as it is" if name else ""), total + 2), total + 4), "muted"),
    ]
    return line + ([(f"with {name}", "!doubt")] if chart.then is not None else [])


def _ruler(chart: Chart) -> Line:
    """The destinations above their columns, where there is room to write them."""
    line: Line = [(" " * (LABEL + 2), "plain")]
    for cell, interval in zip(chart.widths, chart.now.columns, strict=True):
        words = range_text(interval)
        line.append((left(words if len(words) < cell else "│", cell), "faint"))
    return line


def row_line(chart: Chart, row: int, column: int) -> Line:
    """A row of the map; `column` is the selected field where the cursor is on this row, else -1."""
    line: Line = [
        ("  " + left(cut(range_text(chart.now.rows[row]), LABEL - 1), LABEL), "plain" if column >= 0 else "muted")
    ]
    line += _fields(chart.now, row, chart.widths, column)
    if chart.then is not None:
        line.append(("    ", "plain"))
        line += _fields(chart.then, row, chart.widths, column)
    return line


def _fields(drawn: PacketMap, row: int, widths: tuple[int, ...], column: int) -> Line:
    line: Line = []
    for index, cell in enumerate(widths):
        every = drawn.fates(row, index)
        fates: tuple[Fate, ...] = tuple(f for f in every if f is not Fate.LOCAL) or every
        chosen = index == column
        room = cell - 2 if chosen and cell > 2 else cell
        pieces = _filled(fates[: max(1, room)], room)
        line += [("▐", "!source"), *pieces, ("▌", "!source")] if room < cell else _picked(pieces, chosen)
    return line


def _picked(pieces: Line, chosen: bool) -> Line:
    return [(text, "!source" if chosen else tone) for text, tone in pieces]


def _filled(fates: tuple[Fate, ...], room: int) -> Line:
    """A field filled with the marks of its fates, a like part each: services are not drawn to scale."""
    if not fates:
        return [(" " * room, "plain")]
    each, more = divmod(room, len(fates))
    return [(MARKS[f][0] * (each + (1 if i < more else 0)), MARKS[f][1]) for i, f in enumerate(fates)]


def _legend(now: tuple[Share, ...], then: tuple[Share, ...] | None, width: int) -> list[Line]:
    """Each fate with its mark, its part of all packets, as it is and as it would be, and who decides it; the widest first."""
    rows: dict[tuple[Fate, str], list[Share | None]] = {}
    for index, shares in enumerate((now, then or ())):
        for share in shares:
            rows.setdefault((share.fate, _decided(share)), [None, None])[index] = share
    total = sum(s.region.size() for s in now)
    lines: list[Line] = []
    for (fate, says), (old, new) in list(rows.items())[:MOST_ROWS]:
        mark, tone = MARKS[fate]
        parts = right(_percent(old, total), 8) + (f" → {left(_then(old, new, total), 10)}" if then is not None else "")
        shown = new or old
        words = packets_text(shown.region, 1) if shown is not None else ""
        lines.append([
            ("  " + mark * 2 + " ", tone), (left(fate.value, 14), tone), (parts + "  ", "muted"),
            (cut(words + (f" · {says}" if says else ""), max(8, width - 24 - len(parts))), "muted"),
        ])  # fmt: skip
    if len(rows) > MOST_ROWS:
        lines.append([(f"     and {len(rows) - MOST_ROWS} smaller parts", "faint")])
    return lines


def _then(old: Share | None, new: Share | None, total: int) -> str:
    """The part as it would be; where only a few services change, no percentage would show it."""
    before, after = (s.region.size() if s is not None else 0 for s in (old, new))
    words = _percent(new, total)
    if before == after:
        return "the same"
    return words if words != _percent(old, total) else "a bit more" if after > before else "a bit less"


def _decided(share: Share) -> str:
    """What decides a share, with its rule where the words don't name it."""
    if share.rule is None or share.rule.label in share.says:
        return share.says
    return f"{share.rule.label}: {share.says}"


def _percent(share: Share | None, total: int) -> str:
    part = share.region.size() / total * 100 if share is not None and total else 0
    return f"{part:.1f} %" if part >= 0.1 else "< 0.1 %" if part else "none"


def field_detail(chart: Chart, row: int, column: int, picture: Picture, name: str, width: int) -> list[Line]:
    """Under the page: what becomes of the packets of the selected field, service by service."""
    ends = picture.ends if chart.index == 0 else picture.ends[::-1]
    rows, columns = chart.now.rows[row], chart.now.columns[column]
    lines: list[Line] = [[(f"  {ends[0].title} {range_text(rows)} to {ends[1].title} {range_text(columns)}", "strong")]]
    for title, drawn in (("as it is", chart.now), (f"with {name}", chart.then)):
        if drawn is None:
            continue
        every = drawn.field(row, column)
        parts = [p for p in every if p.share.fate is not Fate.LOCAL] or every
        for index, part in enumerate(parts[:4]):
            lines.append(_part_line(part, left(title if index == 0 and chart.then is not None else "", 10), width))
        if len(parts) > 4:
            lines.append([(f"            and {len(parts) - 4} more", "faint")])
    return lines


def _part_line(part: Part, title: str, width: int) -> Line:
    mark, tone = MARKS[part.share.fate]
    services = services_text(list(part.region.boxes)) or "every service"
    where = part.share.where
    place = f" ({where})" if where is not None and where.file else ""
    line: Line = [(f"  {title}", "muted"), (f"{mark} ", tone), (left(part.share.fate.value, 15), tone)]
    text = f"{services}" + (f" · {_decided(part.share)}{place}" if part.share.says else "")
    return [*line, (cut(text, max(8, width - 31)), "plain")]


def main_part(chart: Chart, row: int, column: int) -> Part | None:
    """The part of a field that Enter opens: the largest that is not carried, else the first."""
    parts = (chart.then or chart.now).field(row, column)
    return next((p for p in parts if p.share.fate not in (Fate.CARRIED, Fate.LOCAL)), parts[0] if parts else None)
