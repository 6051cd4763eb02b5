"""SA pairs of an end, and since when a tunnel is up."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of
from stomion.tunnel.sas import oriented
from twosheets import LEFT, RIGHT, SHEET

Case = Callable[[dict[str, str | bytes]], Examined]
SHEETS = {"sites/quayhead.toml": SHEET.format(**LEFT), "sites/marram.toml": SHEET.format(**RIGHT)}


def _reading(minute: int, spis: tuple[str, str], packets: int, **more: object) -> str:
    row = {
        "kind": "counters",
        "at": f"2026-05-04T09:{minute:02d}:00Z",
        "site": "quayhead",
        "tunnel": "t",
        "packets_in": packets,
    }
    row |= {"packets_out": packets, "spi_in": spis[0], "spi_out": spis[1], **more}
    return json.dumps(row) + "\n"


OLD, NEW = ("aa11aa11", "bb22bb22"), ("CC33CC33", "DD44DD44")


def test_pairs_by_their_readings(case: Case) -> None:
    rows = _reading(10, OLD, 5, age_s=300, encryption="aes256gcm16", group=20, rekey_in_s=60)
    rows += _reading(12, NEW, 9, age_s=60, encapsulation="udp") + _reading(12, OLD, 5, age_s=420)
    (tunnel,) = summary_of(case({**SHEETS, "quayhead/counters.jsonl": rows})).tunnels
    found = [(sa.spi_in, sa.spi_out, sa.encryption, sa.group, sa.age_s, sa.packets_in, sa.state) for sa in tunnel.sas]
    assert found == [
        ("cc33cc33", "dd44dd44", None, None, 60, 9, "up"),
        ("aa11aa11", "bb22bb22", None, None, 420, 5, "closing"),
    ]
    assert tunnel.up_since == "2026-05-04T09:05:00.000+00:00"


def test_a_gap_between_two_pairs_ends_the_time_it_was_up(case: Case) -> None:
    rows = _reading(10, OLD, 5, age_s=300) + _reading(30, NEW, 9, age_s=60)
    (tunnel,) = summary_of(case({**SHEETS, "quayhead/counters.jsonl": rows})).tunnels
    assert tunnel.up_since == "2026-05-04T09:29:00.000+00:00"


LOG = """2026-05-04T09:00:00Z quayhead ike initiating IKE_SA to 198.51.100.20[500]
2026-05-04T09:00:01Z quayhead ike IKE_SA established with 198.51.100.20[500]
2026-05-04T09:00:01Z quayhead ike CHILD_SA established with 198.51.100.20, SPIs aa11aa11_i bb22bb22_o
2026-05-04T09:30:00Z quayhead ike inbound CHILD_SA established with 198.51.100.20, SPIs cc33cc33_i dd44dd44_o
2026-05-04T09:30:01Z quayhead ike closing CHILD_SA with 198.51.100.20, SPIs aa11aa11_i bb22bb22_o
2026-05-04T09:30:01Z quayhead ike CHILD_SA closed
"""


@pytest.mark.parametrize(
    ("more", "since"),
    [
        ("", "2026-05-04T09:00:01.000+00:00"),
        ("2026-05-04T09:40:00Z quayhead ike CHILD_SA closed\n", None),
        ("2026-05-04T09:40:00Z quayhead ike received AUTHENTICATION_FAILED from 198.51.100.20[500]\n", None),
    ],
    ids=["renewed", "closed", "refused since"],
)
def test_since_when_by_the_log(case: Case, more: str, since: str | None) -> None:
    (tunnel,) = summary_of(case({**SHEETS, "quayhead/ike.log": LOG + more})).tunnels
    assert tunnel.up_since == since
    assert [(sa.spi_in, sa.state) for sa in tunnel.sas][1] == ("aa11aa11", "down")


@pytest.mark.parametrize(
    ("text", "swapped"),
    [
        ("SPI in aa11aa11 out bb22bb22", False),
        ("outbound SPI aa11aa11, inbound SPI bb22bb22", True),
        ("SPIs aa11aa11_o bb22bb22_i", True),
        ("SPIs aa11aa11_i bb22bb22_o", False),
        ("esp aa11aa11/bb22bb22", False),
    ],
)
def test_which_spi_is_which(text: str, swapped: bool) -> None:
    assert oriented(text, ("aa11aa11", "bb22bb22")) == (
        ("bb22bb22", "aa11aa11") if swapped else ("aa11aa11", "bb22bb22")
    )


LAST = "2026-05-04T10:00:01Z quayhead ike initiating IKE_SA to 198.51.100.20[500]\n"
GONE = "2026-05-04T09:40:01Z quayhead ike giving up after 5 retransmits, peer 198.51.100.20 not responding\n"
AGAIN = "2026-05-04T09:50:01Z quayhead ike CHILD_SA established with 198.51.100.20, SPIs ee55ee55_i ff66ff66_o\n"


@pytest.mark.parametrize(
    ("more", "up"),
    [
        ("", 1800),
        ("2026-05-04T09:40:01Z quayhead ike CHILD_SA closed\n" + LAST, 2400),
        (GONE + AGAIN + LAST, 3000),
        (GONE + LAST, 2400),
    ],
    ids=["renewed", "closed for good", "lost for ten minutes", "lost for good"],
)
def test_for_how_much_of_the_time_seen(case: Case, more: str, up: float) -> None:
    (tunnel,) = summary_of(case({**SHEETS, "quayhead/ike.log": LOG + more})).tunnels
    assert tunnel.up_s == up
    assert tunnel.seen_s == (3600 if LAST in more else 1800)
