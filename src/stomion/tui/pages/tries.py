"""What is being tried, one column for each what-if: its steps, and what they make of flows, faults and packets."""

from __future__ import annotations

from stomion.model.finding import Finding
from stomion.space.packetwords import packets_text
from stomion.tui.spans import Line, Span, left, wrap
from stomion.tunnel.flows import flow_text
from stomion.tunnel.picture import Picture
from stomion.walk.passage import Fate
from stomion.whatif.attempt import Try
from stomion.whatif.tables import Outcome

LABEL = 18
Cell = list[Span]
"""Lines of one column: (text, tone)."""


def page(tries: list[Try], outcomes: list[Outcome | None], chosen: int, picture: Picture, width: int) -> list[Line]:
    """The tries side by side; an outcome that is None is still being worked out."""
    count = len(tries)
    column = max(20, (width - LABEL - 4) // count - 2)
    lines: list[Line] = [[("  what if", "!doubt"), ("   in the picture only; no gateway is touched", "muted")]]
    names = [
        [(f"{'▸ ' if i == chosen and count > 1 else ''}{t.letter}", "!doubt" if i == chosen else "muted")]
        for i, t in enumerate(tries)
    ]
    lines += _row("", names, column)
    lines += _row("steps", [_steps(t) for t in tries], column)
    lines += _row("flows failing", [_flows(t, o) for t, o in zip(tries, outcomes, strict=True)], column)
    lines += _row("faults of tables", [_faults(o) for o in outcomes], column)
    lines += _row("packets", [_packets(o, picture) for o in outcomes], column)
    return [*lines, []]


def _row(label: str, cells: list[Cell], column: int) -> list[Line]:
    """One row of the table: every cell wrapped to its column."""
    wrapped = [[(part, tone) for text, tone in cell for part in wrap(text, column)] for cell in cells]
    lines: list[Line] = []
    for number in range(max(len(cell) for cell in wrapped)):
        line: Line = [("  " + left(label if number == 0 else "", LABEL), "muted")]
        for cell in wrapped:
            text, tone = cell[number] if number < len(cell) else ("", "plain")
            line.append((left(text, column + 2), tone))
        lines.append(line)
    return lines


def _steps(attempt: Try) -> Cell:
    if not attempt.changes:
        return [("nothing yet: < > - + = change it", "faint")]
    return [(f"{n} at {c.site}: {c.words}", "plain") for n, c in enumerate(attempt.changes, 1)]


def _flows(attempt: Try, found: Outcome | None) -> Cell:
    if found is None:
        return [("walking all packets …" if attempt.changes else "", "faint")]
    cell: Cell = [(f"{found.amiss} of {found.total}", "change" if found.amiss else "proven")]
    for flows, words, tone in ((found.mended, "fixed", "proven"), (found.spoiled, "broken by it", "change")):
        if flows:
            more = f" and {len(flows) - 2} more" if len(flows) > 2 else ""
            cell.append((f"{words}: {', '.join(flow_text(f.test) for f in flows[:2])}{more}", tone))
    return cell


def _faults(found: Outcome | None) -> Cell:
    if found is None:
        return [("", "plain")]
    cell = [(f"gone: {_name(f)}", "proven") for f in found.gone]
    cell += [(f"new: {f.summary}", "change") for f in found.fresh]
    cell += [(f"remaining: {f.summary}", "change") for f in found.left]
    cell += [(f"not judged, as a rule failed: {text}", "doubt") for text in found.crashed]
    return cell or [("none", "muted")]


def _name(finding: Finding) -> str:
    return f"{finding.code} at {' and '.join(finding.sides)}"


def _packets(found: Outcome | None, picture: Picture) -> Cell:
    if found is None:
        return [("", "plain")]
    cell: Cell = []
    for d in found.differences[:4]:
        ends = picture.ends if d.from_left else picture.ends[::-1]
        tone = "proven" if d.after is Fate.CARRIED else "muted" if d.after is Fate.LOCAL else "change"
        cell.append((f"{ends[0].title} to {ends[1].title}: {d.before.value} → {d.after.value}", tone))
        cell.append((f"  {packets_text(d.region)}", "muted"))
    if len(found.differences) > 4:
        cell.append((f"and {len(found.differences) - 4} more", "faint"))
    return cell or [("no packet is treated differently", "muted")]
