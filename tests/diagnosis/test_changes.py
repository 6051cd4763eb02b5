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


SAVED = [
    {
        "kind": "event",
        "at": "2026-05-04T09:00:05Z",
        "site": "marram",
        "what": "rule-changed",
        "subject": "block guests",
        "detail": "saved only",
    },
    {
        "kind": "event",
        "at": "2026-05-04T09:00:30Z",
        "site": "marram",
        "what": "config-applied",
        "subject": "",
        "detail": "in force",
    },
]


def _tested(at: str, received: int) -> dict[str, object]:
    row = {
        "kind": "test",
        "at": f"2026-05-04T{at}Z",
        "from": "quayhead/desk",
        "to": "10.66.0.9",
        "service": "icmp",
        "sent": 5,
    }
    return {**row, "received": received, "expected": "blocked"}


@pytest.mark.parametrize(
    ("applied", "later", "codes"),
    [(True, 0, ["filter-blocks"]), (True, 5, ["block-without-effect"]), (False, 5, ["block-without-effect"])],
)
def test_a_rule_counts_from_when_it_is_in_force(case: Case, applied: bool, later: int, codes: list[str]) -> None:
    rows = [*SAVED[: 1 + applied], _tested("09:00:10", 5), _tested("09:01:00", later)]
    files = {**_case(True, None, 0), "path/r.jsonl": "".join(json.dumps(row) + "\n" for row in rows)}
    (tunnel,) = case(files).tunnels
    assert [f.code for f in tunnel.findings if f.stage == "filter"] == codes


LOG = """2026-05-04T09:10:00Z quayhead ike IKE_SA established with 198.51.100.20[500]
2026-05-04T09:10:00Z quayhead ike CHILD_SA established with 198.51.100.20, SPIs aa11aa11_i bb22bb22_o
2026-05-04T09:20:10Z quayhead ike initiating IKE_SA to 198.51.100.20[500]
2026-05-04T09:20:10Z quayhead ike received AUTHENTICATION_FAILED from 198.51.100.20[500]
"""


@pytest.mark.parametrize(
    ("at", "subject", "named"),
    [
        ("09:20:02", "t", True), ("09:20:02", "", True), ("09:20:02", "clock", False), ("09:05:00", "t", False), ("09:21:00", "t", False),
    ],
    ids=["of the tunnel", "of nothing in particular", "of another thing", "before it last worked", "after it failed"],
)  # fmt: skip
def test_the_change_right_before_a_failure_stands_beside_it(case: Case, at: str, subject: str, named: bool) -> None:
    event = {
        "kind": "event",
        "at": f"2026-05-04T{at}Z",
        "site": "marram",
        "what": "config-applied",
        "subject": subject,
        "detail": "new key",
    }
    files = {
        "sites/quayhead.toml": SHEET.format(**LEFT),
        "sites/marram.toml": SHEET.format(**RIGHT),
        "quayhead/ike.log": LOG,
    }
    (tunnel,) = case({**files, "path/r.jsonl": json.dumps(event) + "\n"}).tunnels
    first = tunnel.first_fault
    assert first is not None and first.code == "authentication-failed"
    assert ("new key" in first.detail, "change" in first.facts) == (named, named)
