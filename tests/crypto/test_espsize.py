"""ESP's sizes, against sums done by hand and against packets that real gateways sent."""

from __future__ import annotations

import json
from itertools import pairwise

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st

from stomion.cli.main import root
from stomion.crypto.espsize import Wrap, segment, steps, wrap_of


@pytest.mark.parametrize(
    ("encryption", "integrity", "udp", "outer", "path", "largest"),
    [
        ("AES-CBC-256", "HMAC-SHA2-256-128", False, 4, 1500, 1438),
        ("aes256", "sha256", True, 4, 1500, 1422),
        ("AES-GCM-16-256", "", False, 4, 1500, 1446),
        ("aes256gcm16", "", True, 4, 1500, 1438),
        ("3des", "sha1", False, 4, 1500, 1446),
        ("AES-GCM-16-256", "", False, 6, 1500, 1426),
        ("AES-GCM-16-256", "", False, 4, 40, 0),
    ],
)
def test_the_largest_packet_for_a_path(
    encryption: str, integrity: str, udp: bool, outer: int, path: int, largest: int
) -> None:
    assert wrap_of(encryption, integrity, outer=outer, udp=udp).largest(path) == largest


WRAPS = st.builds(
    Wrap,
    st.sampled_from((0, 8, 16)),
    st.sampled_from((4, 8, 16)),
    st.sampled_from((0, 12, 16, 24, 32)),
    st.sampled_from((4, 6)),
    st.booleans(),
)


@given(WRAPS, st.integers(200, 9000))
def test_the_largest_fits_and_one_byte_more_does_not(wrap: Wrap, path: int) -> None:
    largest = wrap.largest(path)
    assert wrap.size(largest) <= path < wrap.size(largest + 1)


@given(WRAPS, st.integers(200, 3000))
def test_the_steps_hold_every_size_once(wrap: Wrap, path: int) -> None:
    rows = steps(wrap, path)
    assert rows[-1][1] == wrap.largest(path)
    assert all(later[0] == before[1] + 1 and later[2] > before[2] for before, later in pairwise(rows))


def test_a_capture_s_packets_have_these_sizes() -> None:
    # A ping of 84 bytes, AES-CBC-256 with HMAC-SHA2-256-128: SPI to check value, as in a recorded capture.
    wrap = wrap_of("AES-CBC-256", "HMAC-SHA2-256-128", udp=True)
    assert wrap.size(84) - 20 - 8 == 136
    assert wrap.largest_of_esp(136) == 94


def test_transport_mode_keeps_the_inner_header_outside() -> None:
    tunnel, transport = (wrap_of("aes256gcm16", transport=t) for t in (False, True))
    assert transport.largest(1500) - tunnel.largest(1500) == 20
    assert segment(1438) == 1398
    assert segment(1438, 6) == 1378


@pytest.mark.parametrize(("encryption", "integrity"), [("rot13", ""), ("aes256", "crc")])
def test_what_is_no_algorithm_is_said(encryption: str, integrity: str) -> None:
    with pytest.raises(ValueError, match="is no"):
        wrap_of(encryption, integrity)


def test_the_command_line() -> None:
    told = CliRunner().invoke(root, ["mtu", "-e", "aes256", "-a", "sha256", "--inner", "1450", "--steps"])
    assert "1,438" in told.output
    assert "too large for the path" in told.output
    found = json.loads(CliRunner().invoke(root, ["mtu", "--udp", "--json"]).output)
    assert (found["largest_inner"], found["mss"]) == (1438, 1398)
