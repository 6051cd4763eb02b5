"""Findings as lines of plain text, for a terminal, a mail or a ticket."""

from __future__ import annotations

import textwrap
from collections import Counter
from collections.abc import Mapping

from stomion.jobs.summary import FindingRecord, Place, Summary, TunnelRecord
from stomion.model.provenance import Provenance
from stomion.vocabulary.clean import clean
from stomion.vocabulary.durations import span_text

WIDTH = 100
MARKS = {"pass": "━", "fault": "╱", "caution": "╍", "unseen": "·", "unreached": " "}


def check_text(summary: Summary) -> str:
    """The whole report of `stomion check`."""
    parts = [_tunnel(t) for t in summary.tunnels]
    if not parts:
        parts = [_no_tunnel(summary)]
    parts.extend(_total(summary))
    parts.extend(_not_used(summary))
    parts.extend(
        f"not recognised: {clean(n.file)}: {clean(n.why)}" for n in summary.not_recognised[:MOST_NOT_RECOGNISED]
    )
    if len(summary.not_recognised) > MOST_NOT_RECOGNISED:
        parts.append(f"not recognised: {len(summary.not_recognised) - MOST_NOT_RECOGNISED:,} more files")
    for problem in summary.problems:
        place = f"{clean(problem.file)}:{problem.line}" if problem.line else clean(problem.file)
        parts.append(f"problem: {place}: {clean(problem.text)}")
    return "\n".join(parts)


def _total(summary: Summary) -> list[str]:
    """Causes that several tunnels share, and how many tunnels stand how."""
    lines = [line for cause in summary.common_causes for line in textwrap.wrap(clean(cause.says), WIDTH)]
    lines += _relations(summary)
    counts = Counter(t.status for t in summary.tunnels)
    if len(summary.tunnels) > 1:
        states = ", ".join(f"{counts[s]} {s}" for s in STATES if counts[s])
        lines.append(f"{len(summary.tunnels):,} tunnels: {states}")
    return [*lines, ""] if lines else []


def _relations(summary: Summary) -> list[str]:
    """Relations between sites that do not hold, or of which nothing tells."""
    wrong = [r for r in summary.relations if not r.holds]
    lines = []
    for one in wrong:
        wish = {"direct": "joined", "apart": "apart"}.get(one.want, f"through {one.through}")
        said = f"Wanted {wish}: {' and '.join(one.ends)}. {one.text}"
        lines += textwrap.wrap(clean(said) + ("" if one.holds is False else "  (not known)"), WIDTH)
    if summary.relations and not wrong:
        lines.append(f"All {len(summary.relations)} relations that are wanted hold.")
    return lines


MOST_NOT_RECOGNISED = 40
"""Files that are named one by one; `--json` has all."""
STATES = ("broken", "degraded", "working", "idle", "unproven")


def ask_text(summary: Summary) -> str:
    """What `stomion check --ask` prints: for every tunnel that is not decided, what to fetch from whom."""
    parts = []
    for tunnel in summary.tunnels:
        if not tunnel.ask:
            parts.append(f"{clean(tunnel.name)}  {tunnel.status}: nothing has to be fetched, what is there decides.")
            continue
        parts.append(f"{clean(tunnel.name)}  {tunnel.status}")
        for whom in dict.fromkeys(a.whom for a in tunnel.ask):
            parts.append(f"  To {clean(whom)}:")
            for ask in tunnel.ask:
                if ask.whom == whom:
                    text = f"{clean(ask.text)}  ({ask.stage})"
                    parts += textwrap.wrap(text, WIDTH, initial_indent="    - ", subsequent_indent="      ")
    return "\n".join(parts or [_no_tunnel(summary)])


def _no_tunnel(summary: Summary) -> str:
    """Nothing was found, which is no sign of health: what was read, and how much of it was not understood."""
    trade = [s for s in summary.sources if s.kind == "log" and s.not_understood]
    said = "No tunnel was found in the evidence, so nothing can be said of any."
    if trade:
        files = ", ".join(f"{clean(s.file)} ({s.not_understood:,})" for s in trade[:MANY])
        said += f" Lines with words of the trade that were not understood: {files}."
    return "\n".join(textwrap.wrap(said, WIDTH))


MANY = 12
"""Unused pieces of evidence that are listed one by one."""


def _not_used(summary: Summary) -> list[str]:
    lines = []
    for one in summary.not_used[:MANY]:
        place = f"{clean(one.file)}:{one.line}" if one.line else clean(one.file)
        lines.append(f"not used: {place}: {clean(one.text)}: {clean(one.why)}")
    more = len(summary.not_used) - MANY
    return lines + ([f"not used: {more:,} more; --json lists all"] if more > 0 else [])


def _tunnel(t: TunnelRecord) -> str:
    lines = [f"{t.name}  {t.status}"]
    seam = "  ".join(f"{s.stage} {MARKS[s.verdict] * 2}" for s in t.stages if s.verdict != "unreached")
    lines.append(f"  {seam}")
    for finding in t.findings:
        lines.extend(_finding(finding))
    if t.first_fault is None and (not t.findings or t.status in ("unproven", "idle")):
        beyond = "Nothing wrong was seen" if not t.findings else "No fault was seen beyond that"
        said = beyond + ("" if t.status == "working" else f", and {_why(t)}") + "."
        lines.extend(textwrap.wrap(said + _rests_on(t), WIDTH, initial_indent="  ", subsequent_indent="  "))
    lines.extend(f"    carried: {text}" for text in t.proof[:3])
    lines.extend(_times(t))
    return clean_lines(lines) + "\n"


def _times(t: TunnelRecord) -> list[str]:
    """Since when it is up, and for how much of the time seen, where it was not up all the time."""
    since = [f"up since {_moment(t.up_since)}"] if t.up_since is not None else []
    if t.up_s is not None and t.seen_s is not None and t.up_s < t.seen_s:
        since.append(f"up for {100 * t.up_s / t.seen_s:.1f} % of the {span_text(t.seen_s)} seen since it came up first")
    return [f"    {'; '.join(since)}"] if since else []


def _moment(text: str) -> str:
    """An RFC 3339 time in UTC as people write it."""
    return text.replace("T", " ")[:19] + " UTC"


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


def stopped_text(seen: Mapping[str, int]) -> str:
    """How far a reading had come that was stopped: `seen` are the files that were begun, in their order, with the lines or packets read."""
    if not seen:
        return "stomion: stopped before anything was read"
    name, count = list(seen.items())[-1]
    files = f"{len(seen)} file{'s' * (len(seen) != 1)}"
    at = f" at line or packet {count:,}" if count else ""
    return f"stomion: stopped; {files} begun, the last was {clean(name)}{at}; nothing was judged"
