"""Pings of several sizes: a path that loses the large ones, one that tells so, and sizes as consoles write them."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.trials.pings import size_of
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
SHEETS: dict[str, str | bytes] = {
    "sites/quayhead.toml": SHEET.format(**LEFT),
    "sites/marram.toml": SHEET.format(**RIGHT),
}


def _tests(*rows: tuple[int, int, str]) -> str:
    common = {"kind": "test", "from": "quayhead/host-a", "to": "10.66.0.9", "service": "icmp", "sent": 3}
    return "".join(
        json.dumps(common | {"at": f"2026-05-04T09:14:{n:02}Z", "size": size, "received": got, "error": error}) + "\n"
        for n, (size, got, error) in enumerate(rows)
    )


@pytest.mark.parametrize(
    ("rows", "code", "says"),
    [
        ([(0, 3, ""), (1400, 3, ""), (1401, 0, "timeout"), (1500, 0, "timeout")], "mtu-blackhole", "MTU to 1,400 and clamp TCP's segment"),
        ([(0, 3, ""), (1500, 0, "timeout")], "mtu-blackhole", "find the limit between 84 and 1,500"),
        ([(0, 3, ""), (1400, 3, ""), (1500, 0, "too-big")], None, ""),
        ([(0, 3, ""), (1400, 3, ""), (1500, 3, "")], None, ""),
        ([(0, 0, "timeout"), (1500, 0, "timeout")], None, ""),
        ([(0, 3, ""), (1400, 0, "timeout"), (1500, 3, "")], None, ""),
    ],
)  # fmt: skip
def test_a_path_that_loses_the_large_ones(
    case: Case, rows: list[tuple[int, int, str]], code: str | None, says: str
) -> None:
    (tunnel,) = case({**SHEETS, "path/tests.jsonl": _tests(*rows)}).tunnels
    first = tunnel.first_fault
    assert (first.code if first is not None else None) == code
    if first is not None:
        assert any(says in r.text for r in first.remedies)
        assert next(e.line for e in first.evidence) == 1


@pytest.mark.parametrize(
    ("text", "to", "size"),
    [
        ("ping 10.2.0.20 (10.2.0.20) 1472(1500) bytes of data.", "10.2.0.20", 1500),
        ("pinging 10.2.0.20 with 1472 bytes of data:", "10.2.0.20", 1500),
        ("ping 2001:db8::9 with 1452 bytes of data:", "2001:db8::9", 1500),
        ("sending 5, 1400-byte icmp echos to 10.2.0.20, timeout is 2 seconds:", "10.2.0.20", 1400),
        ("ping -n -c 3 -m do -s 1410 10.2.0.20", "10.2.0.20", 1438),
        ("ping 10.2.0.20", "10.2.0.20", 0),
        ("ping -c 5 10.2.0.20", "10.2.0.20", 0),
    ],
)
def test_sizes_as_consoles_write_them(text: str, to: str, size: int) -> None:
    assert size_of(text, to) == size


def test_a_pasted_large_ping_tells_of_the_path(case: Case) -> None:
    def ping(data: int, got: int) -> str:
        answers = "".join(
            f"{data + 8} bytes from 10.66.0.9: icmp_seq={n} ttl=62 time=21.4 ms\n" for n in range(1, got + 1)
        )
        lost = 100 - 100 * got // 3
        return (
            f"PING 10.66.0.9 (10.66.0.9) {data}({data + 28}) bytes of data.\n{answers}\n--- 10.66.0.9 ping statistics ---\n"
            f"3 packets transmitted, {got} received, {lost}% packet loss, time 2003ms\n\n"
        )  # fmt: skip

    text = f"$ ping -c 3 10.66.0.9\n{ping(56, 3)}$ ping -c 3 -M do -s 1412 10.66.0.9\n{ping(1412, 0)}"
    (tunnel,) = case({**SHEETS, "quayhead/hosts/host-a/pings.txt": text}).tunnels
    first = tunnel.first_fault
    assert first is not None and first.code == "mtu-blackhole" and "1,440 bytes and more are not" in first.summary
