"""Four networks of a refusal: what their labels tell of whose they are, and what stays open."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.logs.grid import asked_and_held, names_sides

Case = Callable[[dict[str, str | bytes]], Examined]
WANTED = ("10.20.4.0/22", "10.30.8.0/24"), ("10.30.8.0/24", "10.20.0.0/22")


@pytest.mark.parametrize(
    "line",
    [
        "near nets requested 10.30.8.0/24; near nets provisioned 10.30.8.0/24; far nets requested 10.20.4.0/22;"
        " far nets provisioned 10.20.0.0/22",
        "requested remote 10.20.4.0/22 local 10.30.8.0/24, configured remote 10.20.0.0/22 local 10.30.8.0/24",
        "gotRemote:10.20.4.0/22,gotLocal:10.30.8.0/24,haveRemote:10.20.0.0/22,haveLocal:10.30.8.0/24",
        "asked for 10.30.8.0/24 (here) and 10.20.4.0/22 (there), but configured are 10.30.8.0/24 (here) and 10.20.0.0/22 (there)",
    ],
)
def test_labels_tell_whose_a_network_is_in_any_order(line: str) -> None:
    assert asked_and_held(line) == WANTED
    assert names_sides(line)


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("requested 10.20.4.0/22 10.30.8.0/24, configured 10.20.0.0/22 10.30.8.0/24", False),
        ("local list 10.20.0.0/22, 10.30.8.0/24; remote list 10.20.4.0/22, 10.30.8.0/24", False),
        ("theirs 10.20.4.0/22 = 10.30.8.0/24, ours 10.20.0.0/22 = 10.30.8.0/24", False),
        ("requested 10.30.8.0/24 === 10.20.4.0/22, configured 10.30.8.0/24 === 10.20.0.0/22", True),
        ("requested local 10.30.8.0/24 remote 10.20.4.0/22", True),
    ],
)
def test_what_has_no_label_of_both_sides_stays_open(line: str, told: bool) -> None:
    assert asked_and_held(line) is None
    assert names_sides(line) is told


@pytest.mark.parametrize(("joined", "sides"), [(" and ", {"north", "south"}), (" === ", {"north"})])
def test_a_finding_leaves_open_whose_the_networks_are(case: Case, joined: str, sides: set[str]) -> None:
    pair, held = joined.join(("10.30.8.0/24", "10.20.4.0/22")), joined.join(("10.30.0.0/24", "10.20.4.0/22"))
    lines = [
        "ike: contacted by 192.0.2.44", "ike: peer 192.0.2.44 authenticated", "ike: sa established with 192.0.2.44",
        f"ike: traffic selectors refused: peer 192.0.2.44 requested {pair}, configured are {held}",
    ]  # fmt: skip
    log = "".join(f"2026-06-01T09:00:{n:02d}Z gate {line}\n" for n, line in enumerate(lines))
    (tunnel,) = case({"south/gate.log": log, "north/other.txt": "x\n"}).tunnels
    first = tunnel.first_fault
    assert first is not None and first.code == "selectors-unacceptable"
    assert set(first.sides) == sides and ("Which of these" in first.summary) == (len(sides) > 1)
