"""A block switched on beside a running ping: it stops it as meant, has no effect, or stands beside a stop that no table explains."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
LAN = '[[interface]]\nname = "lan0"\naddresses = ["{}"]\nzone = "inside"\n'
BLOCK = (
    '[[filter]]\nname = "block guests"\nmatch = { from_zone = "tunnel", source = "10.96.0.0/20" }\naction = "drop"\n'
)


def _case(rule: bool, stops_at: int | None, changed_at: int, subject: str = "block guests") -> dict[str, str | bytes]:
    def at(second: int) -> str:
        return f"2026-05-04T09:00:{second:02d}Z"

    pings: list[dict[str, object]] = [
        {
            "kind": "ping",
            "at": at(n),
            "from": "quayhead/desk",
            "to": "10.66.0.9",
            "seq": n,
            "rtt_ms": 5.0 if stops_at is None or n < stops_at else None,
        }
        for n in range(40)
    ]
    event = {
        "kind": "event",
        "at": at(changed_at),
        "site": "marram",
        "what": "rule-changed",
        "subject": subject,
        "detail": "switched on",
    }
    return {
        "sites/quayhead.toml": SHEET.format(**LEFT) + LAN.format("10.96.0.1/20"),
        "sites/marram.toml": SHEET.format(**RIGHT) + LAN.format("10.66.0.1/21") + (BLOCK if rule else ""),
        "path/r.jsonl": "".join(json.dumps(row) + "\n" for row in (*pings, event)),
    }  # fmt: skip


@pytest.mark.parametrize(
    ("rule", "stops_at", "changed_at", "codes", "words"),
    [
        (True, 22, 20, [("filter-blocks", True)], "was switched on at 09:00:20.000 and stops ping"),
        (True, None, 20, [("block-without-effect", False)], "goes on as before"),
        (False, 22, 20, [("test-fails-unexplained", True)], "stops right after block guests was switched on at marram"),
        (False, 35, 5, [("test-fails-unexplained", True)], ""),
        (True, 22, 39, [("filter-blocks", True)], "came into force while a ping ran"),
        (True, 0, 20, [("filter-blocks", True)], "was switched on at 09:00:20.000"),
        (True, 0, 39, [("filter-blocks", False)], "no rule allows it"),
    ],
)  # fmt: skip
def test_a_block_switched_on_beside_a_ping(
    case: Case, rule: bool, stops_at: int | None, changed_at: int, codes: list[tuple[str, bool]], words: str
) -> None:
    (tunnel,) = case(_case(rule, stops_at, changed_at)).tunnels
    assert [(f.code, f.caution) for f in tunnel.findings] == codes
    found = tunnel.findings[0]
    assert words in f"{found.summary} {found.detail}" and found.sides == ("marram",)
    assert ("switched on" in f"{found.summary} {found.detail}") is ("switched on" in words) or "goes on" in words


def test_another_rule_s_change_is_not_its_proof(case: Case) -> None:
    (tunnel,) = case(_case(True, 22, 20, "another rule")).tunnels
    (found,) = tunnel.findings
    assert (found.code, found.caution, found.certainty.value) == ("filter-blocks", True, "likely")
    assert "path/r.jsonl:41" not in map(str, found.evidence)
