"""What the peer brought, set against what the writer holds: two values of a kind that differ, in whatever words."""

from __future__ import annotations

import pytest

from stomion.logs.contrast import contrast_of
from stomion.logs.understand import understand
from stomion.model.event import What
from stomion.model.provenance import Provenance

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
    event = understand(line, Provenance("x", line=1))
    assert event is not None
    assert (event.what, event.peer, event.far) == (what, "192.0.2.7", False)


@pytest.mark.parametrize("line", ALIKE)
def test_values_that_agree_or_are_of_another_kind_tell_none(line: str) -> None:
    assert contrast_of(line) is None
