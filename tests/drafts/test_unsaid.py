"""What a configuration does not tell: what the interfaces leave open stays open, and a name that stands for nothing makes no rule."""

from __future__ import annotations

import pytest

from stomion.drafts.draft import draft_of
from stomion.model.site import SheetMatch
from stomion.walk.declared import match_boxes

GATEWAY = "interface wan\n  address 203.0.113.10/29\ninterface lan\n  address 10.64.0.1/24\n"


def test_ends_and_networks_under_words_that_nobody_knows_are_told_by_the_interfaces() -> None:
    (tunnel,) = draft_of(
        f"{GATEWAY}tunnel to-quayhead\n  glim 203.0.113.10\n  farrow 192.0.2.10\n  stint 10.64.0.0/24\n  swale 10.96.0.0/24\n"
    ).sheet.tunnel
    assert (tunnel.local, tunnel.peer) == ("203.0.113.10", "192.0.2.10")
    assert (tunnel.local_ts, tunnel.remote_ts) == (("10.64.0.0/24",), ("10.96.0.0/24",))


@pytest.mark.parametrize(
    "lines",
    [
        "  glim 203.0.113.10\n  farrow 192.0.2.10\n  swipple 192.0.2.11\n",  # two far ends
        "  glim 203.0.113.10\n  dns 192.0.2.10\n",
        "  glim 203.0.113.10\n  via 192.0.2.10\n",
    ],
)
def test_what_could_be_several_things_is_left_open(lines: str) -> None:
    (tunnel,) = draft_of(
        f"{GATEWAY}tunnel to-quayhead\n{lines}  stint 10.97.0.0/24\n  swale 10.96.0.0/24\n"
    ).sheet.tunnel
    assert (tunnel.local, tunnel.peer, tunnel.local_ts, tunnel.remote_ts) == ("203.0.113.10", "", (), ())


def test_a_network_under_an_unknown_word_is_not_of_the_side_before_it() -> None:
    (rule,) = draft_of("filter 1\n  source 10.96.0.0/24\n  glim 10.64.0.0/24\n  action allow\n").sheet.filter
    assert rule.match.source == ("10.96.0.0/24",)


def test_an_address_that_is_watched_is_no_peer() -> None:
    """A peer without a word for one is told beside an own end without one, and no other way."""
    sheet = draft_of(
        f"{GATEWAY}tunnel a\n  local 203.0.113.10\n  glim 192.0.2.99\ntunnel b\n  glim 203.0.113.10\n  track 192.0.2.98\n"
    ).sheet
    assert [(t.name, t.local, t.peer) for t in sheet.tunnel] == [("a", "203.0.113.10", ""), ("b", "203.0.113.10", "")]


@pytest.mark.parametrize(
    ("rule", "match"),
    [
        ("source DEPOT\n  destination 10.96.0.0/24", SheetMatch(source=("DEPOT",), destination=("10.96.0.0/24",))),
        ("source 10.64.0.0/24\n  destination DEPOT", SheetMatch(source=("10.64.0.0/24",), destination=("DEPOT",))),
        ("source 10.64.0.0/24\n  service backup", SheetMatch(source=("10.64.0.0/24",), service=("backup",))),
        (
            "source 10.64.0.0/24\n  service https, backup",
            SheetMatch(source=("10.64.0.0/24",), service=("tcp/443", "backup")),
        ),
    ],
)
def test_a_name_that_stands_for_nothing_stays_in_its_rule(rule: str, match: SheetMatch) -> None:
    """Without it the rule would let pass, or hold up, more than it does; so a walk through it is uncertain."""
    (found,) = draft_of(f"{GATEWAY}filter 1\n  {rule}\n  action allow\n").sheet.filter
    assert found.match == match
    assert match_boxes(found.match)[1] != ""


def test_a_way_to_a_name_is_left_and_a_translation_keeps_it() -> None:
    routes = "route 10.70.0.0/16 via core\nroute 10.71.0.0/16 via 10.64.0.9\n"
    draft = draft_of(f"{GATEWAY}{routes}nat 1\n  source DEPOT\n  action masquerade\n")
    assert [route.destination for route in draft.sheet.route] == ["10.71.0.0/16"]
    assert [t.match.source for t in draft.sheet.translation] == [("DEPOT",)]
    assert [line for line, _ in draft.left] == [5]


def test_an_interface_that_is_called_as_a_zone_is_an_interface() -> None:
    rules = "filter 1\n  source 10.96.0.0/24\n  to lan\n  action allow\nfilter 2\n  source 10.96.0.0/24\n  to dmz\n  action allow\n"
    found = draft_of(GATEWAY + rules).sheet.filter
    assert [(r.match.out_interface, r.match.to_zone) for r in found] == [("lan", ""), ("", "dmz")]


@pytest.mark.parametrize(
    ("head", "site"), [("gateway settings", ""), ("gateway заря", "заря"), ("gateway saltern", "saltern")]
)
def test_what_a_text_is_names_no_gateway(head: str, site: str) -> None:
    assert draft_of(f"{head}\n  contrast 7\n{GATEWAY}").sheet.site == site


def test_one_block_in_braces_is_a_text_in_braces() -> None:
    (tunnel,) = draft_of("tunnel a {\n  local-address 203.0.113.10;\n  remote-address 192.0.2.10;\n}\n").sheet.tunnel
    assert (tunnel.name, tunnel.local, tunnel.peer) == ("a", "203.0.113.10", "192.0.2.10")


def test_a_line_without_its_end_is_no_part_of_the_block_below_it() -> None:
    text = "hostname saltern\ntunnel a {\n  local-address 203.0.113.10;\n  remote-address\n    192.0.2.10;\n  opened permanently;\n}\n"
    sheet = draft_of(text + "tunnel b {\n  local-address 203.0.113.10;\n}\n").sheet
    assert sheet.site == "saltern"
    assert [(t.name, t.peer, t.initiate) for t in sheet.tunnel] == [("a", "192.0.2.10", "always"), ("b", "", "")]
