"""case.toml: title, tunnels with their ends, expected flows."""

from __future__ import annotations

from typing import Any

from stomion.ingest.gate import toml_value
from stomion.ingest.item import read_whole
from stomion.ingest.reading import Kind, Reading
from stomion.ingest.sheet import line_map
from stomion.ingest.stoppable import steps
from stomion.model.provenance import Provenance
from stomion.model.relation import Relation, Want

MAX_TITLE = 200


def _read(reading: Reading) -> None:
    reading.source("case", site=False)
    whole = read_whole(reading.item)
    data = toml_value(whole)
    title = data.get("title")
    if isinstance(title, str):
        reading.evidence.title = title[:MAX_TITLE]
    tunnels = data.get("tunnel", [])
    for tunnel in steps(tunnels if isinstance(tunnels, list) else []):
        ends = tunnel.get("ends") if isinstance(tunnel, dict) else None
        if isinstance(ends, list) and len(ends) == 2 and all(isinstance(e, str) for e in ends):
            if len(reading.evidence.declared) >= MOST_TUNNELS:
                reading.problem(f"more than {MOST_TUNNELS:,} tunnels; the rest is not read")
                break
            reading.evidence.declared.append((str(tunnel.get("name", "-".join(ends))), (ends[0], ends[1])))
    _vantages(data, reading)
    lines = line_map(whole.decode("utf-8", "replace"))
    _expected(data, lines, reading)
    _relations(data, lines, reading)


MOST_TUNNELS = 5_000
"""Tunnels that one case declares."""


def _vantages(data: dict[str, Any], reading: Reading) -> None:
    """`[[vantage]]`: by which command tests are run at a source."""
    rows = data.get("vantage", [])
    for row in rows if isinstance(rows, list) else []:
        name = row.get("name") if isinstance(row, dict) else None
        command = row.get("command", []) if isinstance(row, dict) else None
        if not isinstance(name, str) or not isinstance(command, list) or not all(isinstance(w, str) for w in command):
            reading.problem('a [[vantage]] needs a name and a command = ["word", …], which may be empty')
            continue
        reading.evidence.vantages[name] = tuple(command)


def _expected(data: dict[str, Any], lines: dict[str, int], reading: Reading) -> None:
    """`[[expect]]`: who is to reach whom, and what is to be blocked."""
    rows = data.get("expect", [])
    for index, row in enumerate(rows if isinstance(rows, list) else []):
        line = lines.get(f"expect.{index}", 0)
        values = [row.get(k) if isinstance(row, dict) else None for k in ("from", "to", "service", "outcome")]
        if not all(isinstance(v, str) for v in values) or values[3] not in ("reach", "blocked"):
            text = 'an [[expect]] needs from, to, service, and outcome = "reach" or "blocked"'
            reading.problem(text, line or None)
            continue
        reading.evidence.expects.append((str(values[0]), str(values[1]), str(values[2]), str(values[3]), line))


MOST_RELATED = 500
"""Sites of one relation: every two of them are looked at."""


def _relations(data: dict[str, Any], lines: dict[str, int], reading: Reading) -> None:
    """`[[relation]]`: how the sites of a group are to reach each other."""
    rows = data.get("relation", [])
    for index, row in enumerate(rows if isinstance(rows, list) else []):
        line = lines.get(f"relation.{index}", 0)
        sites, want = (row.get(k) if isinstance(row, dict) else None for k in ("sites", "want"))
        through = row.get("through", "") if isinstance(row, dict) else ""
        names = tuple(s for s in sites if isinstance(s, str)) if isinstance(sites, list) else ()
        known = isinstance(want, str) and want in list(Want) and isinstance(through, str)
        if not known or not 1 < len(names) <= MOST_RELATED or (want == Want.THROUGH) is not bool(through):
            text = 'a [[relation]] needs sites = ["a", "b", …] and want = "direct", "apart", or "through" with through = "site"'
            reading.problem(text, line or None)
            continue
        place = Provenance(reading.item.name, None, line=line or None)
        reading.evidence.relations.append(Relation(names, Want(str(want)), through, place))


CASE = Kind("case", lambda item, _head: item.place == "case", _read)
