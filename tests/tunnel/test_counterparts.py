"""Two logs with other tunnels in them: which peer of each gateway is the other one, and whose lines count."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import pytest

from stomion.jobs.examine import Examined
from stomion.logs.threads import in_turns

Case = Callable[[dict[str, str | bytes]], Examined]
NORTH, SOUTH, HUB, QUARRY, MILL = "192.0.2.44", "198.51.100.71", "192.0.2.225", "192.0.2.161", "203.0.113.90"
Row = tuple[int, str, str]
"""(seconds after nine, name of the tunnel, what is said)"""


def _stands(at: int, name: str, peer: str, spis: str = "aa11bb22/bb22cc33") -> list[Row]:
    here, there = spis.split("/")
    return [
        (at, name, f"initiating IKEv2 negotiation with {peer}"),
        (at, name, f"peer {peer} authenticated"),
        (at, name, f"IKE SA established with {peer}"),
        (at, name, f"child SA established with {peer}, spi in 0x{here} out 0x{there}"),
    ]


def _refused(at: int, sends: bool, peer: str) -> list[Row]:
    if sends:
        return [
            (at, "t", f"initiating IKEv2 negotiation with {peer}"),
            (at, "t", f"peer {peer} rejected our authentication: AUTHENTICATION_FAILED"),
        ]
    return [
        (at, "t", f"received IKEv2 request from {peer}"),
        (at, "t", f"authentication of peer {peer} failed: pre-shared key mismatch"),
    ]


def _knock(at: int, who: str) -> Row:
    return (at, "-", f"request from {who}: no configuration for this peer")


def _log(rows: Iterable[Row]) -> str:
    ordered = sorted(rows, key=lambda row: row[0])
    return "".join(
        f"2026-06-01T09:{at // 60:02}:{at % 60:02}Z gw ike[7]: <{name}> {text}\n" for at, name, text in ordered
    )


def _tunnel(case: Case, north: list[Row], south: list[Row]) -> tuple[set[str | None], str]:
    """(whom the lines that count are about, the first fault)"""
    (found,) = case({"north/gate.log": _log(north), "south/gate.log": _log(south)}).tunnels
    fault = found.first_fault
    return {event.peer for end in found.picture.ends for event in end.events}, fault.code if fault is not None else ""


HUB_SIDE = _stands(7, "hub", HUB) + _stands(907, "hub", HUB)


def test_a_hub_that_both_speak_with_is_neither(case: Case) -> None:
    here = [r for at in (60, 90, 120) for r in _refused(at, True, SOUTH)]
    there = [r for at in (60, 90, 120) for r in _refused(at, False, NORTH)]
    assert _tunnel(case, HUB_SIDE + here, HUB_SIDE + there) == ({NORTH, SOUTH}, "key-mismatch")


@pytest.mark.parametrize("late", [0, 1])
def test_partners_of_one_gateway_alone_are_not_the_other_one(case: Case, late: int) -> None:
    """Their lines outnumber the tunnel's own."""
    north = [r for at in range(11, 1000, 97) for r in _stands(at, "quarry", QUARRY, f"a1b2{at:04x}/c3d4{at:04x}")]
    south = [r for at in range(31, 1000, 89) for r in _stands(at, "mill", MILL, f"e5f6{at:04x}/a7b8{at:04x}")]
    north += [r for at in (60, 200) for r in _refused(at, True, SOUTH)]
    south += [r for at in (60, 200) for r in _refused(at + late, False, NORTH)]
    assert _tunnel(case, north, south)[0] == {NORTH, SOUTH}


def test_the_same_spis_tell_more_than_clocks(case: Case) -> None:
    """South's clock is seven minutes late, and a partner of each happens to be met at the same moments."""
    north = _stands(60, "t", SOUTH, "c41f0a22/9be07731") + _stands(500, "quarry", QUARRY, "a1b20001/c3d40001")
    south = _stands(480, "t", NORTH, "9be07731/c41f0a22") + _stands(500, "mill", MILL, "e5f60002/a7b80002")
    assert _tunnel(case, north, south)[0] == {NORTH, SOUTH}


def test_strangers_are_not_a_peer_that_never_answers(case: Case) -> None:
    """South hears nothing of North: its partner and those who knock at its door are no part of the tunnel."""
    asks = [(at, "t", f"initiating IKEv2 negotiation with {SOUTH}") for at in (60, 75, 100)]
    north = [*HUB_SIDE, *asks, (130, "t", f"no response from {SOUTH}, giving up")]
    south = [*HUB_SIDE, *_stands(311, "mill", MILL), _knock(70, "203.0.113.5"), _knock(402, "203.0.113.77")]
    about, fault = _tunnel(case, north, south)
    assert about == {SOUTH} and fault in ("peer-silent", "ike-lost-in-path", "peer-not-listening")


def test_who_knocks_as_often_as_the_other_end_sends_is_it(case: Case) -> None:
    """South's clock is an hour off, it has no configuration for North, and others knock besides."""
    times = (60, 73, 99)
    north = [(at, "t", f"initiating IKEv2 negotiation with {SOUTH}") for at in times]
    south = [_knock(at + 1700, NORTH) for at in times] + [_knock(5, "203.0.113.5"), _knock(2900, "203.0.113.77")]
    assert _tunnel(case, north, south)[0] == {NORTH, SOUTH}


def test_a_thread_that_turns_to_another_address_gets_another_tag() -> None:
    lines = ["<5> to 192.0.2.1", "<5> hello", "<6> to 192.0.2.9", "<5> to 192.0.2.2", "<5> hello", "plain <5"]
    turned = list(in_turns(lines))
    assert turned[:3] == lines[:3] and turned[5] == lines[5]
    assert turned[3].startswith("<501>") and turned[4] == "<501> hello"
