"""Datagrams in columns come out as they went in, in the order that is asked for."""

from __future__ import annotations

import tracemalloc
from io import BytesIO

import pytest
from hypothesis import given
from hypothesis import strategies as st

import samples
from stomion.exchange import negotiation
from stomion.exchange.negotiation import assemble
from stomion.ingest.capture import read_capture
from stomion.model.datagrams import Datagrams, Gathered
from stomion.model.packet import Datagram
from stomion.model.provenance import Provenance
from stomion.wire.ike import decode

ADDRESSES = st.sampled_from(["192.0.2.1", "198.51.100.7", "2001:db8::1"])
PORTS = st.sampled_from([500, 4500, 61_000])


@st.composite
def datagrams(draw: st.DrawFn) -> Datagram:
    number, site = draw(st.integers(1, 50)), draw(st.sampled_from(["north", None]))
    where = Provenance("a", site, line=number) if draw(st.booleans()) else Provenance("a", site, packet=number)
    return Datagram(
        draw(st.sampled_from([0.0, 1.5, 1_777_880_000.25])), draw(ADDRESSES), draw(PORTS), draw(ADDRESSES), draw(PORTS),
        draw(st.binary(max_size=9)), where, draw(st.booleans()), draw(st.integers(0, 255)),
    )  # fmt: skip


def _place(item: Datagram) -> int:
    return item.where.packet or item.where.line or 0


@given(st.lists(datagrams()))
def test_what_went_in_comes_out(items: list[Datagram]) -> None:
    held = Datagrams(items)
    assert list(held) == items
    assert sum(held.ways().values()) == len(items)
    by_ends = held.by_ends()
    assert {ends: [held[n] for n in numbers] for ends, numbers in by_ends.items()} == {
        ends: [i for i in items if {i.src, i.dst} == ends] for ends in by_ends
    }
    held.sort()
    assert list(held) == sorted(items, key=_place)


@given(st.lists(datagrams()), st.lists(datagrams()), st.integers(0, 8))
def test_those_of_two_files_stand_in_the_order_of_their_times(
    left: list[Datagram], right: list[Datagram], most: int
) -> None:
    both = [Datagrams(left), Datagrams(right)]
    gathered = Gathered((held, range(len(held))) for held in both)
    wanted = sorted([*left, *right], key=lambda d: (d.at, _place(d)))
    assert list(gathered) == wanted and [*gathered.beginnings(4)] == [d.payload[:4] for d in wanted]
    if wanted:
        assert gathered.first == wanted[0]
    half = most // 2
    kept = [*wanted[: most - half], *wanted[len(wanted) - half :]] if len(wanted) > most else wanted
    assert gathered.ends_of(most) == len(wanted) - len(kept)
    assert list(gathered) == kept
    gathered.only(bool(n % 2) for n in range(len(kept)))
    assert list(gathered) == kept[1::2]


def test_a_capture_of_nothing_but_ike_takes_no_more_than_eight_times_its_size(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    # What was looked at lately is so much at the most, however large the capture is.
    monkeypatch.setattr(negotiation, "_small", decode)
    messages = [(n // 10).to_bytes(8, "big") + samples.sealed(37, 8, 60, n)[8:] for n in range(2_000)]
    packets = [samples.ethernet(samples.udp4("192.0.2.1", "198.51.100.7", message)) for message in messages]
    data = samples.pcap(packets)
    tracemalloc.start()
    try:
        capture, _ = read_capture(BytesIO(data), "c", "north")
        found = assemble(Gathered([(capture.datagrams, range(2_000))]))
        peak = tracemalloc.get_traced_memory()[1]
    finally:
        tracemalloc.stop()
    assert [len(n.steps) for n in found] == [10] * 200
    assert peak < 8 * len(data)
