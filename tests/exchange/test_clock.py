"""Two clocks: the offset found is the one that was put in, and its uncertainty holds it."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

import samples
from stomion.exchange.clock import clock_from_logs, clock_offset, clock_words
from stomion.exchange.negotiation import assemble
from stomion.jobs.examine import Examined
from stomion.model.event import Event, What
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
    """Farlight's clock was set 118 ms ahead; Marram gave a log in whole seconds only, which tells little."""
    by_name = {d.picture.name: d.picture for d in demo.tunnels}
    clock = by_name["quayhead-farlight"].clock
    assert clock is not None
    assert abs(clock.right_ahead - 0.118) < 0.002
    assert clock_words(clock, "Quayhead", "Farlight") == "Farlight's clock is 118 ms ± 11 ms ahead of Quayhead's"
    coarse = by_name["quayhead-marram"].clock
    assert coarse is not None
    assert abs(coarse.right_ahead) <= coarse.uncertainty


def _log(*rows: tuple[float, What]) -> list[Event]:
    return [Event(what, Provenance("x", line=n), "", at=at) for n, (at, what) in enumerate(rows, 1)]


@pytest.mark.parametrize(
    ("right", "ahead"),
    [
        ([(130.02, What.ASKED), (130.10, What.IKE_UP)], 30.0),
        ([(100.02, What.ASKED), (100.10, What.IKE_UP)], 0.0),
        ([(130.0, What.ASKED), (130.0, What.IKE_UP)], 30.0),
        ([(130.02, What.ASKED)], None),
        ([(130.02, What.ASKED), (131.0, What.ASKED), (131.1, What.IKE_UP)], None),
        ([(130.02, What.ASKED), (190.0, What.IKE_UP)], None),
        ([], None),
    ],
)
def test_two_logs_alone_tell_the_offset_where_they_match(right: list[tuple[float, What]], ahead: float | None) -> None:
    found = clock_from_logs(_log((100.0, What.INITIATING), (100.12, What.IKE_UP)), _log(*right))
    assert (found is None) == (ahead is None)
    if found is not None and ahead is not None:
        assert abs(found.right_ahead - ahead) <= found.uncertainty
        turned = clock_from_logs(_log(*right), _log((100.0, What.INITIATING), (100.12, What.IKE_UP)))
        assert turned is not None and turned.right_ahead == pytest.approx(-found.right_ahead)
