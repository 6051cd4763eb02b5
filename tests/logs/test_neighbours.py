"""Routing neighbours in the lines of logs."""

from __future__ import annotations

import pytest

from stomion.logs.clock import Clock
from stomion.logs.neighbours import Neighbours, tells_of_neighbour
from stomion.model.record import NEIGHBOUR_DOWN, NEIGHBOUR_FORMING, NEIGHBOUR_UP

UP, DOWN, FORMING = NEIGHBOUR_UP, NEIGHBOUR_DOWN, NEIGHBOUR_FORMING
LINES = {
    "neighbour 169.254.61.2 on tun0 is up, exchange complete": (UP, "169.254.61.2", "tun0", "exchange complete"),
    "neighbour 169.254.61.2 on tun0 is down, silent for 40 s": (DOWN, "169.254.61.2", "tun0", "silent for 40 s"),
    "ospf: neighbor 10.9.0.2 (tun1) changed from Full to Down: dead timer expired": (DOWN, "10.9.0.2", "tun1", "dead timer expired"),
    "ospf: neighbor 10.9.0.2 (tun1) changed from Down to Init": (FORMING, "10.9.0.2", "tun1", ""),
    "ospf: neighbor 10.9.0.2 stuck in ExStart, MTU mismatch": (FORMING, "10.9.0.2", "", "stuck in ExStart, MTU mismatch"),
    "ospf: adjacency with 10.9.0.2 over tun1 formed": (UP, "10.9.0.2", "tun1", ""),
    "bgp: session with 169.254.7.2 established": (UP, "169.254.7.2", "", ""),
    "bgp: session with 169.254.7.2 closed: hold timer expired": (DOWN, "169.254.7.2", "", "hold timer expired"),
    "bgp: peer 169.254.7.2 went from Established to Idle": (DOWN, "169.254.7.2", "", ""),
    "bgp: peer 2001:db8:7::2 went from Idle to Connect": (FORMING, "2001:db8:7::2", "", ""),
    "rip: neighbour 10.9.0.9 timed out after 180 s, routes withdrawn": (DOWN, "10.9.0.9", "", "after 180 s, routes withdrawn"),
    "isis: adjacency with 10.9.0.9 on tun3 is up again": (UP, "10.9.0.9", "tun3", "again"),
}  # fmt: skip
NONE = (
    "kernel: neighbour table overflow, 10.9.0.6 dropped",
    "arp: neighbour 10.9.0.6 on lan0 is unreachable",
    "ike: the session with peer 10.9.0.6 is up",
    "bgp: 12 prefixes received from neighbor 10.0.0.2",
    "bgp: the listener is up",
    "vpn: negotiation with the neighbour 198.51.100.7 on wan0 timed out",
    "neighbour 198.51.100.7 on wan0: IPsec SA is down",
    "ospf: neighbor changed from Full to Down",
)


@pytest.mark.parametrize(("line", "told"), LINES.items())
def test_what_a_line_says(line: str, told: tuple[str, str, str, str]) -> None:
    found = tells_of_neighbour(line)
    assert found is not None
    assert (found.what, found.address, found.dev, found.why) == told


@pytest.mark.parametrize("line", NONE)
def test_what_is_of_something_else(line: str) -> None:
    assert tells_of_neighbour(line) is None


def test_only_what_changes_is_told_with_its_time() -> None:
    neighbours = Neighbours("ash", Clock(2026))
    lines = [
        "May  4 09:00:00 gw bgp[7]: peer 10.9.0.2 is up",
        "May  4 09:00:30 gw bgp[7]: peer 10.9.0.2 is up",
        "May  4 09:00:31 gw bgp[7]: peer 10.9.0.6 is up",
        "<30>1 2026-05-04T09:01:00Z gw bgpd 7 - - peer 10.9.0.2 down: hold timer expired",
    ]
    found = [r for line in lines if (r := neighbours.read(line)) is not None]
    assert [(r.at[11:19], r.what, r.subject, r.detail) for r in found] == [
        ("09:00:00", UP, "10.9.0.2", ""),
        ("09:00:31", UP, "10.9.0.6", ""),
        ("09:01:00", DOWN, "10.9.0.2", "hold timer expired"),
    ]
