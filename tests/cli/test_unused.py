# ruff: noqa: E501
"""What was given and no tunnel used: each thing once, with its place and why."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of
from stomion.jobs.unused import unused
from twosheets import LEFT, RIGHT, SHEET, B

Case = Callable[[dict[str, str | bytes]], Examined]
RECORD = '{{"kind":"{kind}","at":"2026-05-04T09:2{n}:00Z",{more}}}\n'
UP = f"2026-05-04T09:14:01Z gw ike IKE SA with m.example ({B}) established\n"


def _record(kind: str, n: int, more: str) -> str:
    return RECORD.format(kind=kind, n=n, more=more)


@pytest.mark.parametrize(
    ("file", "content", "expected"),
    [
        ("path/r.jsonl", _record("test", 1, '"from":"quayhead/desk","to":"10.66.0.9"'), []),
        ("path/r.jsonl", _record("test", 1, '"from":"nowhere/desk","to":"10.66.0.9"'), [("path/r.jsonl", 1, "test from nowhere/desk to 10.66.0.9", "nowhere is no end of a tunnel, and behind none")]),
        ("path/r.jsonl", 2 * _record("ping", 1, '"from":"quayhead/desk","to":"printer"'), [("path/r.jsonl", 1, "ping from quayhead/desk to printer, 2 times", "the target is in no range of that site's tunnels")]),
        ("path/r.jsonl", _record("counters", 1, '"site":"quayhead","tunnel":"other"'), [("path/r.jsonl", 1, "counters of other at quayhead", "no tunnel of that site has this name or range")]),
        ("path/r.jsonl", _record("event", 1, '"site":"quayhead","what":"role-active"'), [("path/r.jsonl", 1, "event role-active at quayhead", "it is no link that a tunnel runs over")]),
        ("quayhead/state", "src 192.0.2.10 dst 198.51.100.34\n\tproto esp spi 0xc1a2b3d4 reqid 1 mode tunnel\n", []),
        ("quayhead/state", "src 192.0.2.10 dst 203.0.113.5\n\tproto esp spi 0xc1a2b3d4 reqid 1 mode tunnel\n", [("quayhead/state", 2, "SA c1a2b3d4 from 192.0.2.10 to 203.0.113.5", "no tunnel of this case is between these addresses")]),
        ("quayhead/settings.txt", "ike policy main\n  lifetime 8h\n", [("quayhead/settings.txt", None, "2 lines", "not one of them is understood as telling of a negotiation")]),
        ("quayhead/ike.log", UP + "2026-05-04T09:15:00Z gw ike initiating IKEv2 to 203.0.113.77:500\n", [("quayhead/ike.log", 2, "1 line about 203.0.113.77", "no tunnel of this case has this address")]),
        ("case.toml", '[[expect]]\nfrom = "x/y"\nto = "10.66.0.9"\nservice = "icmp"\noutcome = "reach"\n', [("case.toml", 1, "expected flow icmp from x/y to 10.66.0.9", "x is no end of a tunnel, and behind none")]),
    ],
)  # fmt: skip
def test_what_no_tunnel_used(
    case: Case, file: str, content: str, expected: list[tuple[str, int | None, str, str]]
) -> None:
    sheets: dict[str, str | bytes] = {
        "sites/quayhead.toml": SHEET.format(**LEFT),
        "sites/marram.toml": SHEET.format(**RIGHT),
    }
    examined = case(sheets | {"quayhead/other.log": UP, file: content})
    found = [(u.file, u.line, u.text, u.why) for u in unused(examined)]
    assert found == expected
    assert [(n.file, n.text) for n in summary_of(examined).not_used] == [(f, t) for f, _, t, _ in expected]


def test_what_of_each_source_was_understood(case: Case) -> None:
    log = (
        UP + "2026-05-04T09:14:02Z gw ike negotiates something in words of its own\n2026-05-04T09:14:03Z gw disk full\n"
    )
    summary = summary_of(case({"quayhead/ike.log": log}))
    assert [(s.file, s.kind, s.records, s.understood, s.not_understood) for s in summary.sources] == [
        ("quayhead/ike.log", "log", 3, 1, 1)
    ]
