"""Write the generated pages: docs/findings.md, docs/keys.md and docs/schemas/*.json. `--check` only compares."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import msgspec

from stomion.diagnosis.catalogue import RULES
from stomion.exchange.negotiation import REACH_WORDS
from stomion.jobs.decoding import MessageRecord
from stomion.jobs.summary import Summary
from stomion.model.event import What
from stomion.model.finding import STAGES
from stomion.model.record import Record
from stomion.model.site import SiteSheet
from stomion.tui.keymap import KEYS

DOCS = Path(__file__).resolve().parent.parent / "docs"


def findings() -> str:
    """The catalogue as a page, in the order of the stages."""
    out = [
        "# Findings",
        "",
        "Generated from the rules themselves (`tools/make_docs.py`). Codes never change their meaning.",
        "",
    ]
    for stage in STAGES:
        found = [rule.spec for rule in RULES if rule.spec.stage is stage]
        if found:
            out += [f"## {stage.value}", ""]
        for spec in found:
            out += [
                f"### `{spec.code}`: {spec.title}",
                "",
                spec.means,
                "",
                f"**How it is decided.** {spec.decided}",
                "",
            ]
            out += [f"**For example.** {spec.example}", ""]
    return "\n".join(out)


def keys() -> str:
    """All keys as a table."""
    out = [
        "# Keys",
        "",
        "Generated from the key table (`tools/make_docs.py`).",
        "",
        "| key | does | on |",
        "|---|---|---|",
    ]
    for key in KEYS:
        where = "every screen" if "all" in key.where else ", ".join(key.where)
        out.append(f"| `{key.shown}` | {key.does} | {where} |")
    return "\n".join([*out, ""])


def events() -> str:
    """What a log line can be understood as, and how far a negotiation can get."""
    out = ["# What a log line can say", "", "Generated from the events' table (`tools/make_docs.py`).", ""]
    out += [f"- {what.value}" for what in What]
    out += ["", "How far a negotiation got on the wire, in order:", ""]
    out += [f"1. {words}" for words in REACH_WORDS.values()]
    return "\n".join([*out, ""])


def schema(kind: Any) -> str:
    """A JSON Schema."""
    return json.dumps(msgspec.json.schema(kind), indent=1, sort_keys=True) + "\n"


PAGES = {
    "findings.md": findings,
    "keys.md": keys,
    "events.md": events,
    "schemas/check.json": lambda: schema(Summary),
    "schemas/decode.json": lambda: schema(list[MessageRecord]),
    "schemas/record.json": lambda: schema(Record),
    "schemas/sheet.json": lambda: schema(SiteSheet),
}


def stale() -> list[str]:
    """Pages that are not what would be written now."""
    return [name for name, make in PAGES.items() if not (DOCS / name).exists() or (DOCS / name).read_text() != make()]


def main() -> None:
    if "--check" in sys.argv:
        found = stale()
        sys.exit(f"stale, run tools/make_docs.py: {', '.join(found)}" if found else 0)
    for name, make in PAGES.items():
        path = DOCS / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(make())
        print(path)


if __name__ == "__main__":
    main()
