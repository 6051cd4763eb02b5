"""A fault beside what changed between two readings of an end's tables."""

from __future__ import annotations

from dataclasses import replace

from stomion.diagnosis.spec import listed
from stomion.model.finding import Finding, Stage
from stomion.model.tables import Entry
from stomion.tunnel.picture import Picture

_OF_TABLES = (Stage.NAT, Stage.ROUTING, Stage.FILTER)
MANY = 3
"""Entries that are named one by one."""


def with_readings(picture: Picture, finding: Finding) -> Finding:
    """The fault with what came and went in the tables that it is about, where they were read twice."""
    if finding.stage not in _OF_TABLES:
        return finding
    said, facts = [], []
    for end in picture.ends:
        tables = end.tables
        if tables is None or end.site not in finding.sides or not (tables.came or tables.gone):
            continue
        came = [e for e in tables.came if e.where in finding.evidence] or list(tables.came)
        parts = [f"{_named(rows)} {word}" for rows, word in ((came, "came"), (list(tables.gone), "went")) if rows]
        said.append(f"Between the two readings of {end.title}'s tables {' and '.join(parts)}.")
        facts.append({"site": end.site, "came": [e.text for e in tables.came], "gone": [e.text for e in tables.gone]})
    if not said:
        return finding
    return replace(
        finding,
        detail=" ".join(part for part in (finding.detail, *said) if part),
        facts={**finding.facts, "between_readings": facts},
    )


def _named(entries: list[Entry]) -> str:
    texts = [e.text if e.kind == "rule" else f"the {e.kind} {e.text}" for e in entries[:MANY]]
    if len(entries) > MANY:
        texts.append(f"{len(entries) - MANY:,} more")
    return listed(texts, "and")
