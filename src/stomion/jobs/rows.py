"""Many tunnels as rows of a table, for a spreadsheet or a ticket: one row each, with what is said of it."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from pathlib import Path

from stomion.diagnosis.runner import Diagnosis
from stomion.jobs.beside import beside
from stomion.views.seam import seam_of
from stomion.vocabulary.clean import one_line
from stomion.writing import write_inside

COLUMNS = (
    "tunnel", "left", "right", "state", "stage", "finding", "certainty", "at", "says", "change at left", "change at right", "proof",
)  # fmt: skip
FILE = "tunnels.csv"
MOST_PLACES = 4
"""Places of proof in a cell."""


def as_csv(found: Sequence[Diagnosis]) -> str:
    """A heading and a row for every tunnel (RFC 4180), each cell one line and never a formula."""
    out = io.StringIO()
    rows = csv.writer(out)
    rows.writerow(COLUMNS)
    rows.writerows([_plain(cell) for cell in _row(d)] for d in found)
    return out.getvalue()


def write_beside(root: str, found: Sequence[Diagnosis]) -> Path:
    """The rows beside what is derived from the case, for the screen. Raises UsageError where that fails."""
    target = beside(root) / FILE
    write_inside(Path(root), target, as_csv(found).encode())
    return target


def _row(d: Diagnosis) -> Iterator[str]:
    first, ends = d.first_fault, d.picture.ends
    yield from (d.picture.name, ends[0].title, ends[1].title, d.status.value)
    if first is None:
        yield from ("", "", "", "", seam_of(d).says, "", "", "")
        return
    titles = {e.site: e.title for e in ends}
    at = " and ".join(titles.get(side, side) for side in first.sides)
    yield from (first.stage.value, first.code, first.certainty.value, at, first.summary)
    for end in ends:
        yield "; ".join(r.text for r in first.remedies if r.side == end.site)
    yield "; ".join(str(place) for place in first.evidence[:MOST_PLACES])


def _plain(cell: str) -> str:
    """One line; what a spreadsheet would take for a formula is a text."""
    text = one_line(cell)
    return f"'{text}" if text[:1] in ("=", "+", "-", "@") else text
