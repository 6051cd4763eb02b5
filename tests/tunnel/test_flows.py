"""Where tables break what the two LANs send: with tests, without, and with tests of the other direction alone."""

from __future__ import annotations

from dataclasses import replace

import pytest

from stomion.jobs.examine import Examined
from stomion.tunnel.flows import breaks, is_own
from stomion.tunnel.picture import LanTest, Picture
from stomion.walk.passage import Fate


def _eelgrass(demo: Examined) -> tuple[Picture, bool]:
    """The demo's tunnel whose far end translates what it sends; and whether that end is the left one."""
    picture = next(d.picture for d in demo.tunnels if d.picture.name == "quayhead-eelgrass")
    return replace(picture, expected=()), picture.left.site == "eelgrass"


def _passed(picture: Picture, from_left: bool, passed: bool = True, expected: bool = True) -> LanTest:
    seen = next(t for t in picture.tests if t.from_left is from_left)
    return replace(seen, passed=passed, expected=expected, source="", who="somebody")


@pytest.mark.parametrize(("same_way", "passed", "expected", "told"), [
    (False, True, True, True), (True, True, True, False), (True, True, False, True), (True, False, True, True),
])  # fmt: skip
def test_only_a_test_that_passed_this_way_speaks_against_the_tables(
    demo: Examined, same_way: bool, passed: bool, expected: bool, told: bool
) -> None:
    picture, translating = _eelgrass(demo)
    test = _passed(picture, translating if same_way else not translating, passed, expected)
    found = [b for b in breaks(replace(picture, tests=[test])) if b.share is not None]
    assert [(b.end.site, b.from_left, b.leg.fate) for b in found] == [("eelgrass", translating, Fate.TRANSLATED)] * told


def test_without_any_test_the_tables_alone_tell(demo: Examined) -> None:
    picture, translating = _eelgrass(demo)
    (found,) = breaks(replace(picture, tests=[]))
    assert (found.end.site, found.from_left, found.leg.fate) == ("eelgrass", translating, Fate.TRANSLATED)


@pytest.mark.parametrize(("who", "source", "seen", "own"), [
    ("eelgrass", "", True, True), ("eelgrass/host-b", "", True, False), ("eelgrass", "10.70.0.2", True, False),
    ("eelgrass", "", False, False),
])  # fmt: skip
def test_whose_test_is_a_gateway_s_own(demo: Examined, who: str, source: str, seen: bool, own: bool) -> None:
    picture, translating = _eelgrass(demo)
    assert is_own(replace(_passed(picture, translating), who=who, source=source, seen=seen)) is own
