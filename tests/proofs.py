"""Every labelled case's findings in full, with their proof, held against what is written down in diagnosis/proofs.json.

A false alarm, a finding that moves to another line, a packet no longer named: all of it fails here. After a change that is meant,
`STOMION_PROOFS=write .venv/bin/pytest -p no:xdist tests/diagnosis` writes the file anew; its difference is then read line by line.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

from stomion.jobs.examine import Examined

FILE = Path(__file__).parent / "diagnosis" / "proofs.json"


def said(examined: Examined) -> list[list[object]]:
    """[code, sides, certainty, places of proof] of every finding, in order."""
    return [
        [f.code, list(f.sides), f.certainty.value, [str(p) for p in f.evidence]]
        for d in examined.tunnels
        for f in d.findings
    ]


def hold(case: str, examined: Examined) -> None:
    """Assert that a case's findings are those that are written down for it."""
    rows = said(examined)
    known = json.loads(FILE.read_text()) if FILE.exists() else {}
    if os.environ.get("STOMION_PROOFS") == "write":
        known[case] = rows
        lines = [
            f"{json.dumps(k, ensure_ascii=False)}: {json.dumps(v, ensure_ascii=False)}"
            for k, v in sorted(known.items())
        ]
        FILE.write_text("{\n" + ",\n".join(lines) + "\n}\n")
        return
    assert case in known, f"no proof is written down for {case!r}"
    assert rows == known[case]
