"""The operating system as the judge of the walk: random tables in a real namespace, read back in its own words, and real packets.

A gateway's own part of the way is judged; how two gateways and their hosts are put together is held against plain.py.
"""

from __future__ import annotations

import os
from dataclasses import replace

import kernel
import pytest
from hypothesis import HealthCheck, Phase, given, reject, settings
from hypothesis import strategies as st
from plain import ECHO, Machine, Packet
from test_oracle import box_of, gateways, packets

from stomion.ingest.ostables import read_table
from stomion.model.provenance import Provenance
from stomion.model.tables import Policy, State, Tables
from stomion.space.axis import address_text, interval_of
from stomion.walk.gateway import inbound, outbound
from stomion.walk.journey import NEAR, Leg, _mapping
from stomion.walk.journey import Machine as Place
from stomion.walk.passage import Fate, Passage
from stomion.walk.pieces import Piece

WHY_NOT = kernel.missing()
EXAMPLES = int(os.environ.get("STOMION_KERNEL_EXAMPLES", "25"))
pytestmark = pytest.mark.skipif(bool(WHY_NOT), reason=WHY_NOT)
LEAVES = (Fate.CARRIED, Fate.LEAKED, Fate.TRANSLATED, Fate.LOOPING)


def _tables(gate: kernel.Gate) -> Tables:
    tables = Tables("a", forwarding=gate.m.forwarding, forwarding_v6=gate.m.forwarding)
    for kind, texts in gate.said().items():
        for number, text in enumerate(texts):
            tables = read_table(kind, text.encode(), f"{kind} {number}", tables)
    whole = tuple(interval_of("any"))
    policy = Policy("t", whole, whole, "tun0", Provenance("tables"))
    return replace(tables, tunnel_devs=frozenset(("tun0",)), policies=(policy,))


def _expected(passage: Passage) -> tuple[str, str, str] | None:
    """Where a packet leaves the gateway, and with which addresses; None where it does not."""
    if passage.fate not in LEAVES or passage.way is None:
        return None
    now = passage.piece.now
    return passage.way.dev, address_text(now[0][0]), address_text(now[1][0])


@settings(
    max_examples=EXAMPLES, phases=(Phase.explicit, Phase.reuse, Phase.generate), suppress_health_check=list(HealthCheck)
)
@given(gateways("a", by_route=True), st.lists(packets(), min_size=8, max_size=14))
def test_the_kernel_does_what_the_walk_says(m: Machine, some: list[Packet]) -> None:
    with kernel.namespaces():
        try:
            gate = kernel.Gate(m)
        except kernel.Refused:
            reject()
        try:
            tables = _tables(gate)
            assert not tables.doubts
            for number, p in enumerate(some):
                # A connection of its own for every packet: a known one would follow its mapping.
                p = replace(p, sport=20_000 + number) if p.service != "icmp" else p
                # Pings have no port to tell them apart: two that are translated alike would share their answer, so one is sent.
                if p.service != "icmp" or all(q.service != "icmp" or q.version != p.version for q in some[:number]):
                    _one(gate, tables, p)
        finally:
            gate.close()


def _one(gate: kernel.Gate, tables: Tables, p: Packet) -> None:
    (passage,) = outbound(tables, [Piece(box_of(p))], "lan0")
    if passage.fate is Fate.UNCERTAIN:
        return
    seen = gate.send("lan0", p)
    if passage.way is not None and passage.way.route is not None and passage.way.route.others:
        # Alike along every hop: which of them this packet took is the system's own choice.
        assert (seen is None) == (_expected(passage) is None), (p, passage.fate, seen)
        return
    assert seen == _expected(passage), (p, passage.fate, passage.steps and passage.steps[-1].says)
    if seen is None or passage.fate is not Fate.CARRIED:
        return
    leg = Leg(passage.piece.box, passage.fate, NEAR, Place.GATEWAY, tuple((NEAR, s) for s in passage.steps), passage)
    answer = Packet(*(type(p.source)(x) for x in (seen[2], seen[1])), p.service, p.port, p.sport)
    if p.service == "icmp":
        answer = replace(answer, sport=0, port=ECHO[p.version][1])
    back = inbound(tables, [Piece(box_of(answer))], tuple(tables.policies), State.ESTABLISHED, _mapping(leg, NEAR))
    (returned,) = back
    if returned.fate is Fate.UNCERTAIN or (
        returned.way is not None and returned.way.route is not None and returned.way.route.others
    ):
        return
    assert gate.send("tun0", answer, answer=True) == _expected(returned), (answer, returned.steps[-1].says)
