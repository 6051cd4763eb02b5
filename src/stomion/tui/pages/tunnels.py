"""Every tunnel as its seam, the chosen one's fault below."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from stomion.model.finding import PATH, STAGES, Status
from stomion.tui.spans import Line, cut, left, paragraph, right, wrap
from stomion.views.seam import BREAKS, Seam, seam_of, stretch_text
from stomion.vocabulary.times import clock_text

if TYPE_CHECKING:
    from stomion.diagnosis.runner import Diagnosis
    from stomion.jobs.look import Looked
    from stomion.tunnel.picture import End

FULL = 10
"""Columns of a stage that hold every stage's name; with fewer the names stand in two rows."""
_STAGE_WIDTHS = ((190, FULL), (130, 7), (90, 5), (0, 3))
"""(terminal columns from which, columns of a stage): the sentence at the right needs its room as well."""
_STATUS_TONES = {
    Status.BROKEN: "change",
    Status.DEGRADED: "doubt",
    Status.WORKING: "proven",
    Status.IDLE: "muted",
    Status.UNPROVEN: "doubt",
}


@dataclass(frozen=True, slots=True)
class Columns:
    """How the row is divided at a width."""

    name: int
    stage: int
    says: int

    @property
    def seam_at(self) -> int:
        return 1 + self.name + 2


def columns(width: int, names: int) -> Columns:
    """`names` is the longest site name in the list."""
    stage = next(columns for least, columns in _STAGE_WIDTHS if width >= least)
    name = max(6, min(names, {5: 13, 3: 9}.get(stage, 18)))
    says = max(0, width - 1 - 2 * (name + 2) - stage * len(STAGES) - 3)
    return Columns(name, stage, says)


HEADER_ROWS = 3


def header(cols: Columns) -> list[Line]:
    """Stage names over the beginnings of their stretches, in as few of three rows as the columns allow."""
    rows = next(n for n in (1, 2, 3) if n * cols.stage > max(len(s.value) for s in STAGES[:-1]) or n == HEADER_ROWS)
    pad = " " * cols.seam_at
    lines: list[Line] = [[] for _ in range(HEADER_ROWS - rows)]
    for first in range(rows):
        tone = "muted" if first % 2 == 0 else "faint"
        names = [(left(s.value, rows * cols.stage), tone) for s in STAGES[first::rows]]
        lines.append([(pad + " " * (cols.stage * first), "plain"), *names])
    return lines


def row(seam: Seam, cols: Columns, *, changed: bool = False) -> Line:
    """One tunnel; `changed` marks one that stands otherwise than when it was looked at last."""
    line: Line = [
        ("•" if changed else " ", "doubt"),
        (right(seam.left, cols.name), _name_tone(seam.left_changes, seam.left_known)),
    ]
    line.append(_post(seam.left_changes, seam.left_known, "▐"))
    for _, stretch in seam.stretches:
        line.extend(stretch_text(stretch, cols.stage))
    line.append(_post(seam.right_changes, seam.right_known, "▌"))
    line.append((left(seam.right, cols.name), _name_tone(seam.right_changes, seam.right_known)))
    if cols.says > 8:
        tone = "plain" if any(s in BREAKS for _, s in seam.stretches) else "muted"
        line.append(("  ", "plain"))
        line.append((cut(seam.says, cols.says), tone))
    return line


def _name_tone(changes: bool, known: bool) -> str:
    return "!change" if changes else "plain" if known else "muted"


def _post(changes: bool, known: bool, solid: str) -> tuple[str, str]:
    """The post a seam is fixed to: solid, the fault's colour for an end to call, dashed for one that is only inferred."""
    mark = solid if known else "┆"
    text = f" {mark}" if solid == "▐" else f"{mark} "
    return text, "change" if changes else "plain" if known else "muted"


def then(looked: Looked | None, at: float, width: int) -> list[Line]:
    """How a tunnel that stands otherwise now stood when it was looked at last."""
    if looked is None:
        text = f"new since {clock_text(at, day=True)[:16]} UTC"
    else:
        text = f"before, {clock_text(at, day=True)[:16]} UTC: {looked.seam.status.value}; {looked.seam.says}"
    return paragraph(f"• {text}", "doubt", width, 2)


def remembered_foot(looked: Looked, width: int) -> list[Line]:
    """Of a tunnel that is still being read: what was said of it last."""
    inner = max(20, min(width - 4, 132))
    lines = paragraph(looked.seam.says, "!strong", inner, 2)
    return [
        *lines,
        [("  ", "plain"), (f"{looked.name} · {looked.seam.status.value}", _STATUS_TONES[looked.seam.status])],
    ]


def foot(diagnosis: Diagnosis, width: int) -> list[Line]:
    """The chosen tunnel's first fault in full: sentence, who must change what, and how sure it is."""
    seam = seam_of(diagnosis)
    first = diagnosis.first_fault
    inner = max(20, min(width - 4, 132))
    if first is None:
        lines = paragraph(seam.says, "!strong", inner, 2)
        lines.append(
            [("  ", "plain"), (f"{diagnosis.picture.name} · {diagnosis.status.value}", _STATUS_TONES[diagnosis.status])]
        )
        return lines + _rests_on(diagnosis, inner)
    lines = paragraph(first.summary, "!strong", inner, 2)
    places = len(first.evidence)
    head = f"{first.stage.value} · {first.certainty.value} · {places} place{'s' if places != 1 else ''} of proof"
    lines.append([("  ", "plain"), (head, "muted")])
    lines.extend(remedies(diagnosis, inner))
    more = len(diagnosis.findings) - 1
    if more > 0:
        lines.append([("  ", "plain"), (f"and {more} more finding{'s' if more > 1 else ''}", "doubt")])
    return lines


def neighbour(diagnosis: Diagnosis, width: int) -> list[Line]:
    """A tunnel beside the chosen one: its ends and its sentence in full."""
    seam = seam_of(diagnosis)
    names = f"{seam.left} – {seam.right}"
    return [
        [("  ", "plain"), (names, _STATUS_TONES[diagnosis.status]), (f" · {diagnosis.status.value}", "faint")],
        *paragraph(seam.says, "muted", max(20, min(width - 4, 132)), 2),
    ]


def _rests_on(diagnosis: Diagnosis, width: int) -> list[Line]:
    """Of a tunnel without a fault: the first caution and where to look, or what the silence rests on and what is missing."""
    # Not needed before a case is read: the screen is painted first.
    from stomion.views.looked import looked_at, missing, proof_words

    lines: list[Line] = []
    if diagnosis.findings:
        first = diagnosis.findings[0]
        if first.summary != seam_of(diagnosis).says:
            lines += paragraph(first.summary, "doubt", width, 2)
        if first.detail:
            lines += paragraph(first.detail, "muted", width, 2)
        lines += remedies(diagnosis, width)
    rows = (
        ("carried", proof_words(diagnosis.picture)[:3]),
        ("looked at", looked_at(diagnosis.picture)),
        ("missing", missing(diagnosis.picture)),
    )
    for label, words in rows:
        if words:
            lines += paragraph(f"{label}: {'; '.join(words)}", "muted", width, 2)
    return lines


def remedies(diagnosis: Diagnosis, width: int, index: int = 0) -> list[Line]:
    """Per end what to change; the first is the one recommended."""
    lines: list[Line] = []
    if index >= len(diagnosis.findings):
        return lines
    titles = {e.site: e.title for e in diagnosis.picture.ends}
    caution = diagnosis.findings[index].caution
    for number, remedy in enumerate(diagnosis.findings[index].remedies):
        name = titles.get(remedy.side, remedy.side)
        # A caution asks for a look, or for a change that can wait.
        lead = "for " if caution else "change at " if number == 0 else "or at "
        tone = "doubt" if caution else "!change" if number == 0 else "change"
        label = ("or on the way" if number else "on the way") if remedy.side == PATH else f"{lead}{name}"
        parts = wrap(remedy.text, max(20, width - 30))
        for at, part in enumerate(parts or [""]):
            lines.append(
                [
                    ("  ", "plain"),
                    (left(label if at == 0 else "", max(26, len(label) + 2)), tone),
                    (part, "plain"),
                ]
            )
    return lines


def settings_lines(diagnosis: Diagnosis, end: End, width: int, indent: int = 0) -> list[Line]:
    """What an end is evidently set to; empty where its packets tell nothing."""
    # Not needed before a case is read: the screen is painted first.
    from stomion.views.inferred import evident_settings

    found = evident_settings(diagnosis.picture, end)
    if not found:
        return []
    pad = " " * indent
    lines: list[Line] = [[(pad + cut(f"what {end.title} is set to, as far as its packets tell", width), "!source")]]
    value_width = max(16, min(30, (width - 12) // 2))
    for setting in found:
        name = (pad + left(setting.name, 10), "muted")
        if len(setting.value) > value_width:
            lines.append([name, (cut(setting.value, width - 10), "plain")])
        else:
            basis = (cut(setting.basis, width - 11 - value_width), "faint")
            lines.append([name, (left(setting.value, value_width) + " ", "plain"), basis])
    return lines


def summary(seams: list[Diagnosis], shown: int) -> str:
    """`10 tunnels · 6 shown · 4 broken`."""
    parts = [f"{len(seams)} tunnel{'s' if len(seams) != 1 else ''}"]
    if shown != len(seams):
        parts.append(f"{shown} shown")
    for status in (Status.BROKEN, Status.DEGRADED):
        count = sum(1 for d in seams if d.status is status)
        if count:
            parts.append(f"{count} {status.value}")
    return " · ".join(parts)
