"""What the peer brought, set against what the writer holds: two values of a kind that differ, in whatever words."""

from __future__ import annotations

from pathlib import Path

import pytest

from stomion.jobs.examine import examine
from stomion.logs.contrast import contrast_of
from stomion.logs.reader import read_log
from stomion.model.event import What

DIFFER = [
    (What.VERSION_REFUSED, "major 1 from 192.0.2.7, this entry talks major 2"),
    (What.VERSION_REFUSED, "192.0.2.7 speaks generation 1, booked is generation 2"),
    (What.MODE_REFUSED, "192.0.2.7 came in aggressive, entry says main"),
    (What.IDENTITY_REFUSED, "192.0.2.7 introduced itself as east.example; west.example was due"),
    (What.IDENTITY_REFUSED, "id of 192.0.2.7: got fqdn east.example, want fqdn west.example"),
    (What.SELECTORS_REFUSED, "ts_match(192.0.2.7): 10.1.0.0/24 vs 10.3.0.0/24: no"),
    (
        What.PROPOSAL_REFUSED,
        "gateway 192.0.2.7 wants AES-CBC-128/SHA1/group 2, the entry demands AES-CBC-256/SHA2-256/group 14",
    ),
    (What.PROPOSAL_REFUSED, "192.0.2.7 offered group 14, group 20 expected"),
]
ALIKE = [
    "192.0.2.7 speaks major 2, entry says major 2",
    "192.0.2.7 offers main and aggressive, entry allows both",
    "192.0.2.7 introduced itself as east.example, as expected",
    "gateway 192.0.2.7 wants AES-CBC-256, policy has AES-CBC-256",
    "192.0.2.7 offered group 14 and group 20, group 20 expected",
    "entry east: local id west.example, remote id east.example",
    "ts of 192.0.2.7 10.1.0.0/24 to 10.3.0.0/24, entry here",
    "web login from 203.0.113.9 got redirected to portal.example, expected host www.example",
    "dns: got answer for east.example from 192.0.2.53, expected west.example",
]


@pytest.mark.parametrize(("what", "line"), DIFFER)
def test_two_values_that_differ_tell_the_refusal(what: What, line: str) -> None:
    assert contrast_of(line) is what
    (event,) = read_log([(1, line)], "x", "north", year=2026)
    assert (event.what, event.peer, event.far) == (what, "192.0.2.7", False)


@pytest.mark.parametrize("line", ALIKE)
def test_values_that_agree_or_are_of_another_kind_tell_none(line: str) -> None:
    assert contrast_of(line) is None


@pytest.mark.parametrize(
    "words",
    [
        "id of {0}: got fqdn beacon.example, want fqdn lantern.example",
        "{0} introduced itself as beacon.example; lantern.example was due",
        "ID payload of {0} says beacon.example, entry has lantern.example",
    ],
)
def test_which_name_came_and_which_was_expected(tmp_path: Path, words: str) -> None:
    peers = {"harbour": ("198.51.100.40", words), "beacon": ("192.0.2.20", "{0} calls, IKE version 2")}
    for site, (peer, text) in peers.items():
        (tmp_path / site).mkdir()
        log = f"2026-11-26T08:12:01Z call to {peer}:500, IKE version 2\n" if site == "harbour" else ""
        (tmp_path / site / "gw.log").write_text(f"{log}2026-11-26T08:12:02Z {text.format(peer)}\n")
    (tunnel,) = examine([tmp_path], keep=False).tunnels
    (finding,) = tunnel.findings
    assert finding.code == "identity-mismatch"
    assert "calls itself beacon.example; it expects lantern.example" in finding.summary
