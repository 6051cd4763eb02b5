"""Write the generated pages: docs/findings.md, docs/keys.md, docs/words.md and others, docs/schemas/*.json. `--check` only compares."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import msgspec

from stomion.diagnosis.catalogue import RULES
from stomion.exchange.automaton import ANY, MOVES, REACH_WORDS, Sign
from stomion.jobs.decoding import MessageRecord
from stomion.jobs.summary import Summary
from stomion.model.event import What
from stomion.model.finding import STAGES
from stomion.model.record import Record
from stomion.model.site import SiteSheet
from stomion.tui.keymap import KEYS
from stomion.wire.ike.numbers import ExchangeV1, ExchangeV2
from vocabulary_pages import keywords, words

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
    """What a log line can be understood as."""
    out = ["# What a log line can say", "", "Generated from the events' table (`tools/make_docs.py`).", ""]
    out += [f"- {what.value}" for what in What]
    out += ["", "How far a negotiation got on the wire is told by [the exchanges](exchanges.md)."]
    return "\n".join([*out, ""])


def exchanges() -> str:
    """The table of moves, a row each; rows that differ only in what the message says are one."""
    out = [
        "# How far a negotiation gets",
        "",
        "Generated from the table (`src/stomion/exchange/automaton.py`, `tools/make_docs.py`). What is not here tells nothing about how",
        "far a negotiation got. A state after *at least* stays where it is further on already.",
        "",
    ]
    for version, kinds in ((1, ExchangeV1), (2, ExchangeV2)):
        out += [
            f"## IKEv{version}",
            "",
            "| exchange | message | says | in state | then | noted |",
            "|---|---|---|---|---|---|",
        ]
        rows: dict[tuple[str, ...], list[str]] = {}
        for move in MOVES:
            if isinstance(move.exchange, kinds):
                states = "any" if move.states == ANY else ", ".join(s.name for s in move.states)
                to = "" if move.to is None else f"{'at least ' if move.at_least else ''}{move.to.name}"
                rows.setdefault((move.exchange.name, move.way.value, states, to, move.effect.value), []).append(
                    move.sign.value
                )
        for (exchange, way, states, to, effect), signs in rows.items():
            says = "anything" if len(signs) == len(Sign) else "; ".join(signs)
            out.append(f"| {exchange} | {way} | {says} | {states} | {to} | {effect} |")
        out.append("")
    out += ["The states, in order:", "", *(f"- `{reach.name}`: {words}" for reach, words in REACH_WORDS.items())]
    return "\n".join([*out, ""])


def schema(kind: Any) -> str:
    """A JSON Schema."""
    return json.dumps(msgspec.json.schema(kind), indent=1, sort_keys=True) + "\n"


PAGES = {
    "findings.md": findings,
    "keys.md": keys,
    "events.md": events,
    "exchanges.md": exchanges,
    "keywords.md": keywords,
    "words.md": words,
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
