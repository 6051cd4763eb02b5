"""ESP packet by packet: what arrives changed, what late, and what a capture that cuts packets short can't tell."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

import samples
from stomion.jobs.examine import Examined
from stomion.measure.esporder import WINDOW, Order, Track, compared
from twosheets import LEFT, RIGHT, SHEET, A, B

Case = Callable[[dict[str, str | bytes]], Examined]


def esp(sequence: int, filling: bytes = b"\x11", size: int = 40) -> bytes:
    return bytes.fromhex("c1a2b3d4") + sequence.to_bytes(4, "big") + filling * size


def track(*packets: bytes) -> Track:
    made = Track()
    for packet in packets:
        made.add(packet)
    return made


@pytest.mark.parametrize(
    ("sent", "got", "order"),
    [
        ([esp(1), esp(2)], [esp(1), esp(2)], Order(2, 0, 0)),
        ([esp(1), esp(2)], [esp(1), esp(2, b"\x22")], Order(2, 1, 0)),
        ([esp(1), esp(2)], [esp(1)], Order(1, 0, 0)),
        ([esp(1)], [esp(1), esp(7)], Order(1, 0, 0)),
        ([esp(1)], [esp(1)[:20]], Order(0, 0, 0)),
        ([esp(n) for n in (8, 40)], [esp(40), esp(40 - WINDOW)], Order(2, 0, 1)),
        ([esp(n) for n in (9, 40)], [esp(40), esp(41 - WINDOW)], Order(2, 0, 0)),
        ([esp(1), esp(1, b"\x22"), esp(2)], [esp(1), esp(1, b"\x22"), esp(2)], Order(1, 0, 0)),
        ([b"\0\0\0\1\0\0"], [b"\0\0\0\1\0\0"], Order(0, 0, 0)),
        ([], [], Order(0, 0, 0)),
    ],
)
def test_two_captures_of_one_spi(sent: list[bytes], got: list[bytes], order: Order) -> None:
    assert compared([track(*sent)], [track(*got)]) == order


@given(st.lists(st.integers(1, 5000), unique=True, max_size=80), st.randoms())
def test_what_only_moves_a_little_is_neither_changed_nor_late(numbers: list[int], chance: object) -> None:
    ordered = sorted(numbers)
    found = compared([track(*map(esp, ordered))], [track(*map(esp, ordered))])
    assert found == Order(len(ordered), 0, 0)


def _wan(src: str, dst: str, packets: list[bytes], ttl: int) -> bytes:
    return samples.pcap([samples.ethernet(samples.udp4(src, dst, p, 4500, 4500, ttl=ttl)) for p in packets])


PINGS = "".join(
    json.dumps(
        {
            "kind": "ping", "at": f"2026-05-04T09:00:{n:02d}Z", "from": "quayhead/desk", "to": "10.66.0.9", "seq": n,
            "rtt_ms": None if n % 4 == 0 else 5.0,
        }
    ) + "\n"
    for n in range(60)
)  # fmt: skip


@pytest.mark.parametrize(
    ("arrives", "pings", "code"),
    [
        ([esp(n, b"\x22" if n % 4 == 0 else b"\x11") for n in range(1, 61)], PINGS, "integrity-failures"),
        ([esp(n) for n in [*range(21, 61), *range(1, 21)]], PINGS, "replay-drops"),
        ([esp(n) for n in [*range(21, 61), *range(1, 21)]], "", None),
        ([esp(n) for n in range(1, 61)], PINGS, "packet-loss"),
    ],
    ids=["changed", "late and lost", "late and nothing lost", "lost and neither"],
)
def test_what_the_captures_tell_of_lost_pings(case: Case, arrives: list[bytes], pings: str, code: str | None) -> None:
    sent = [esp(n) for n in range(1, 61)]
    back = [b"\0\0\0\x09" + n.to_bytes(4, "big") + b"\x33" * 40 for n in range(1, 61)]
    lan = '[[interface]]\nname = "lan0"\naddresses = ["{}"]\n'
    files: dict[str, str | bytes] = {
        "sites/quayhead.toml": SHEET.format(**LEFT) + lan.format("10.96.0.1/20"),
        "sites/marram.toml": SHEET.format(**RIGHT) + lan.format("10.66.0.1/21"),
        "quayhead/wan.pcap": _wan(A, B, sent, 64), "quayhead/back.pcap": _wan(B, A, back, 58),
        "marram/wan.pcap": _wan(A, B, arrives, 58), "marram/back.pcap": _wan(B, A, back, 64),
        "path/p.jsonl": pings,
    }  # fmt: skip
    (tunnel,) = case(files).tunnels
    first = tunnel.first_fault
    assert (first.code if first is not None else None) == code
    if code in ("integrity-failures", "replay-drops"):
        assert first is not None and first.sides == ("path",) and len(first.evidence) == 2
        assert "packet-loss" not in [f.code for f in tunnel.findings]
