"""Findings as lines of plain text, for a terminal, a mail or a ticket."""

from __future__ import annotations

import textwrap

from stomion.jobs.summary import FindingRecord, Place, Summary, TunnelRecord
from stomion.model.provenance import Provenance
from stomion.vocabulary.clean import clean

WIDTH = 100
MARKS = {"pass": "━", "fault": "╱", "caution": "╍", "unseen": "·", "unreached": " "}


def check_text(summary: Summary) -> str:
    """The whole report of `stomion check`."""
    parts = [_tunnel(t) for t in summary.tunnels]
    if not parts:
        parts = ["No tunnel was found in the evidence."]
    parts.extend(f"not recognised: {clean(n.file)}: {clean(n.why)}" for n in summary.not_recognised)
    for problem in summary.problems:
        place = f"{clean(problem.file)}:{problem.line}" if problem.line else clean(problem.file)
        parts.append(f"problem: {place}: {clean(problem.text)}")
    return "\n".join(parts)


def _tunnel(t: TunnelRecord) -> str:
    lines = [f"{t.name}  {t.status}"]
    seam = "  ".join(f"{s.stage} {MARKS[s.verdict] * 2}" for s in t.stages if s.verdict != "unreached")
    lines.append(f"  {seam}")
    for finding in t.findings:
        lines.extend(_finding(finding))
    if not t.findings:
        said = "Nothing wrong was seen" + ("" if t.status == "working" else f", and {_why(t)}") + "."
        lines.extend(textwrap.wrap(said + _rests_on(t), WIDTH, initial_indent="  ", subsequent_indent="  "))
    lines.extend(f"    carried: {text}" for text in t.proof[:3])
    return clean_lines(lines) + "\n"


def _rests_on(t: TunnelRecord) -> str:
    """What was looked at, and what is not there to be looked at."""
    looked = f" Looked at: {'; '.join(t.looked_at)}." if t.looked_at else ""
    return looked + (f" Missing: {'; '.join(t.missing)}." if t.missing else "")


def _why(t: TunnelRecord) -> str:
    return "it starts on demand" if t.status == "idle" else "nothing proves that it carries traffic"


def _finding(f: FindingRecord) -> list[str]:
    lines = textwrap.wrap(f"{f.summary}  ({f.certainty})", WIDTH, initial_indent="  ", subsequent_indent="  ")
    if f.detail:
        lines += textwrap.wrap(f.detail, WIDTH, initial_indent="  ", subsequent_indent="  ")
    asks = "concerns" if f.caution else "must change"
    lines.append(f"    {f.code} · {asks}: {', '.join(f.sides)}")
    for remedy in f.remedies:
        lines.append(f"    {remedy.side}: {remedy.text}")
    lines.extend(f"    proof: {_place(p)}" for p in f.evidence)
    return lines


def _place(p: Place) -> str:
    return str(Provenance(p.file, p.site, p.line, p.packet, p.record))


def clean_lines(lines: list[str]) -> str:
    """Joined; control characters that came with the evidence are gone."""
    return "\n".join(clean(line) for line in lines)
