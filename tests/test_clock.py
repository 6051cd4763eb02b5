"""Two clocks: the offset found is the one that was put in, and its uncertainty holds it."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

import samples
from stomion.exchange.clock import clock_offset, clock_words
from stomion.exchange.negotiation import assemble
from stomion.jobs.examine import Examined
from stomion.model.packet import Datagram
from stomion.model.provenance import Provenance

A, B = "192.0.2.10", "198.51.100.34"


def _seen(sent: float, delay: float, offset: float, payload: bytes, src: str, number: int) -> list[Datagram]:
    """One message at both ends; the right end's clock is ahead by `offset`."""
    dst = B if src == A else A
    left = sent if src == A else sent + delay
    right = (sent + delay if src == A else sent) + offset
    return [
        Datagram(left, src, 500, dst, 500, payload, Provenance("l", "quayhead", packet=number)),
        Datagram(right, src, 500, dst, 500, payload, Provenance("r", "marram", packet=number)),
    ]


@given(st.floats(-30, 30), st.lists(st.tuples(st.floats(0.001, 2), st.floats(0.001, 2)), min_size=1, max_size=5))
def test_the_true_offset_lies_within_the_uncertainty(offset: float, delays: list[tuple[float, float]]) -> None:
    items: list[Datagram] = []
    for n, (there, back) in enumerate(delays):
        spi = bytes([n + 1]) * 8
        items += _seen(1000.0 + 100 * n, there, offset, samples.init_request(14, spi=spi), A, 2 * n + 1)
        items += _seen(1010.0 + 100 * n, back, offset, samples.init_answer(14, spi=spi), B, 2 * n + 2)
    negotiations = assemble(items)
    for negotiation in negotiations:
        for step in negotiation.steps:
            step.seen.sort(key=lambda s: s[1].site != ("quayhead" if step.src == A else "marram"))
    found = clock_offset(negotiations, "quayhead", "marram")
    assert found is not None
    assert found.both_ways
    assert abs(found.right_ahead - offset) <= found.uncertainty + 1e-6


def test_the_demo_s_clocks(demo: Examined) -> None:
    """Farlight's clock was set 118 ms ahead; Marram gave no capture, so nothing is said of its clock."""
    by_name = {d.picture.name: d.picture for d in demo.tunnels}
    clock = by_name["quayhead-farlight"].clock
    assert clock is not None
    assert abs(clock.right_ahead - 0.118) < 0.002
    assert clock_words(clock, "Quayhead", "Farlight") == "Farlight's clock is 118 ms ± 11 ms ahead of Quayhead's"
    assert by_name["quayhead-marram"].clock is None
