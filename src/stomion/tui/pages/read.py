"""What was made of every file: recognised as what, how much of it was understood, what was left over and why."""

from __future__ import annotations

from stomion.jobs.examine import Examined
from stomion.jobs.summary import sources_of
from stomion.jobs.unused import unused
from stomion.model.provenance import Provenance
from stomion.tui.spans import Line, cut, left, right, wrap

COUNT = 15
"""Columns of a number."""
KIND = 16


def page(examined: Examined, width: int) -> list[tuple[Line, Provenance | None]]:
    """Lines, each with the place that it speaks of: trouble first, then what was not used, then every file."""
    evidence = examined.evidence
    built: list[tuple[Line, Provenance | None]] = [([], None)]
    troubles = [(Provenance(p.file, line=p.line), p.text) for p in evidence.problems]
    troubles += [(Provenance(n.file), n.why) for n in evidence.not_recognised]
    built += _listed("not read", "change", troubles, width)
    left_over = [(Provenance(u.file, line=u.line), f"{u.text}: {u.why}") for u in unused(examined)]
    built += _listed("read, and of no use for any tunnel", "doubt", left_over, width)
    return built + _files(examined, width)


def _listed(
    title: str, tone: str, rows: list[tuple[Provenance, str]], width: int
) -> list[tuple[Line, Provenance | None]]:
    if not rows:
        return []
    column = min(max(len(str(place)) for place, _ in rows) + 2, max(16, width // 3))
    built: list[tuple[Line, Provenance | None]] = [([(f"  {title}", f"!{tone}"), (f"  {len(rows)}", "muted")], None)]
    for place, text in rows:
        for number, part in enumerate(wrap(text, max(20, width - column - 3)) or [""]):
            name = left(cut(str(place), column - 2), column) if number == 0 else " " * column
            built.append(([("  ", "plain"), (name, "source"), (part, "plain")], place if number == 0 else None))
    return [*built, ([], None)]


def _files(examined: Examined, width: int) -> list[tuple[Line, Provenance | None]]:
    rows = sources_of(examined.evidence)
    if not rows:
        return [([("  No file of this case was recognised.", "muted")], None)]
    name = max(16, min(max(len(r.file) for r in rows) + 2, width - KIND - 3 * COUNT - 3))
    units = {s.file: s.unit for s in examined.evidence.sources}
    head: Line = [
        (left("  read", name + 2), "!strong"), (left("as", KIND), "muted"), (right("holds", COUNT), "muted"),
        (right("understood", COUNT - 2), "muted"),        (right("not", COUNT - 6), "muted"),
    ]  # fmt: skip
    built: list[tuple[Line, Provenance | None]] = [(head, None)]
    for row in rows:
        holds = f"{row.records:,} {units.get(row.file, '')}".strip() if row.records else "–"
        lost = f"{row.not_understood:,}" if row.not_understood else "–"
        known = f"{row.understood:,}" if row.understood else "–"
        line: Line = [
            ("  ", "plain"), (left(cut(row.file, name - 2), name), "source"), (left(cut(row.kind, KIND - 1), KIND), "plain"),
            (right(cut(holds, COUNT - 1), COUNT), "plain"), (right(known, COUNT - 2), "plain"),
            (right(lost, COUNT - 6), "doubt" if row.not_understood else "faint"),
        ]  # fmt: skip
        built.append((line, Provenance(row.file, line=1)))
    return built
