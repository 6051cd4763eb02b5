"""What a configuration does not tell: what the interfaces leave open stays open, and a name that stands for nothing makes no rule."""

from __future__ import annotations

import pytest

from stomion.drafts.draft import draft_of

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
    "rule",
    [
        "source DEPOT\n  destination 10.96.0.0/24\n  action allow",
        "source 10.64.0.0/24\n  destination 10.96.0.0/24\n  service backup\n  action allow",
        "source 10.64.0.0/24\n  destination DEPOT\n  action allow",
    ],
)
def test_a_rule_of_which_a_name_stands_for_nothing_is_left(rule: str) -> None:
    """Without what it names it would let pass, or hold up, more than it does."""
    draft = draft_of(f"{GATEWAY}filter 1\n  {rule}\nfilter 2\n  source 10.64.0.0/24\n  action drop\n")
    assert [(one.name, one.action) for one in draft.sheet.filter] == [("2", "drop")]
    assert [line for line, _ in draft.left] == [6, 7, 8, 9][: rule.count("\n") + 1]


def test_a_way_and_a_translation_that_name_nothing_are_left() -> None:
    draft = draft_of(
        f"{GATEWAY}route 10.70.0.0/16 via core\nroute 10.71.0.0/16 via 10.64.0.9\nnat 1\n  source DEPOT\n  action masquerade\n"
    )
    assert [route.destination for route in draft.sheet.route] == ["10.71.0.0/16"]
    assert draft.sheet.translation == ()
    assert [line for line, _ in draft.left] == [5, 8, 9]


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
