"""What a tunnel says by name: partners, profiles and suites one behind the other, interfaces, and lists of packets."""

from __future__ import annotations

from pathlib import Path

import pytest

from stomion.drafts.draft import draft_of
from stomion.model.site import SheetDpd, SheetMatch, SheetProposal, SheetRoute, SiteSheet

HERE = Path(__file__).parent / "references"
LANS = (("10.20.0.0/16",), ("10.96.0.0/16",))
CARDS = "interface wan\n  address 203.0.113.10/29\ninterface lan\n  address 10.64.0.1/24\n"


def _sheet(name: str) -> SiteSheet:
    return draft_of((HERE / f"{name}.conf").read_text()).sheet


@pytest.mark.parametrize("verb", ["put", "set", "ordain"])
def test_a_tunnel_is_told_by_its_partner_the_partners_profile_and_its_suite(verb: str) -> None:
    text = (HERE / "chain.conf").read_text().replace("put ", f"{verb} ")
    draft = draft_of(text)
    assert draft.left == ()
    (tunnel,) = draft.sheet.tunnel
    assert (draft.sheet.site, tunnel.name, tunnel.local, tunnel.peer) == (
        "dunlin",
        "TO-KNOT",
        "192.0.2.77",
        "198.51.100.88",
    )
    assert (tunnel.auth, tunnel.ike, tunnel.initiate, tunnel.local_id) == ("psk", 2, "always", "dunlin.example")
    assert (tunnel.interface, tunnel.dpd) == ("tun5", SheetDpd(10, 5))
    assert tunnel.ike_proposal == (SheetProposal(("AES-CBC-256",), ("HMAC-SHA2-256-128",), (), (19,), 28_800),)
    assert tunnel.esp_proposal == (SheetProposal(("AES-GCM-16-256",), (), (), (19,), 3600),)
    assert draft.sheet.route == (SheetRoute("0.0.0.0/0", "192.0.2.78"), SheetRoute("10.88.0.0/24", "", "tun5"))


@pytest.mark.parametrize("name", ["lists", "plan"])
def test_a_list_of_packets_tells_what_a_tunnel_carries_and_what_is_translated(name: str) -> None:
    sheet = _sheet(name)
    (tunnel,) = sheet.tunnel
    assert (tunnel.local_ts, tunnel.remote_ts) == LANS
    assert [p.group for p in tunnel.esp_proposal] == [(14,)]
    assert [(t.action, t.match) for t in sheet.translation] == [
        ("exempt", SheetMatch(source=LANS[0], destination=LANS[1])),
        ("masquerade", SheetMatch(out_interface="ge0", source=LANS[0])),
    ]


def test_a_list_that_nothing_speaks_of_filters() -> None:
    (rule,) = _sheet("lists").filter
    assert (rule.name, rule.action, rule.match.service) == ("HALL", "allow", ("tcp/443",))


@pytest.mark.parametrize("line", ["local-end wan", "outer interface wan", "interface wan\n  local 203.0.113.10"])
def test_an_end_may_be_told_by_the_interface_that_it_is_on(line: str) -> None:
    (tunnel,) = draft_of(f"{CARDS}tunnel a\n  peer 192.0.2.10\n  local-network lan\n  {line}\n").sheet.tunnel
    assert (tunnel.local, tunnel.peer, tunnel.interface) == ("203.0.113.10", "192.0.2.10", "")
    assert tunnel.local_ts == ("10.64.0.0/24",)


@pytest.mark.parametrize(
    ("lines", "dpd"),
    [
        ("dpd delay 15\n  dpd timeout 60", SheetDpd(15, None)),
        ("dpd\n    timeout 15\n    misses 4", SheetDpd(15, 4)),  # of each probe
        ("dpd timeout 60", None),
    ],
)
def test_how_long_a_peer_may_be_silent_is_no_number_of_tries(lines: str, dpd: SheetDpd | None) -> None:
    (tunnel,) = draft_of(f"{CARDS}tunnel a\n  peer 192.0.2.10\n  {lines}\n").sheet.tunnel
    assert tunnel.dpd == dpd


def test_a_service_that_the_text_tells_stands_for_what_it_is() -> None:
    rule = "filter 1\n  source 10.64.0.0/24\n  service https, backup\n  action allow\n"
    (found,) = draft_of(f"{CARDS}service backup tcp/8443\n{rule}").sheet.filter
    assert found.match.service == ("tcp/443", "tcp/8443")


PARTS = (
    "network-object A\n  prefix 10.96.0.0/24\nnetwork-object B\n  prefix 10.97.0.0/24\n"
    "ike-suite ONE\n  cipher aes256\n  hash sha256\n  exchange-group group 14\n"
    "ike-suite TWO\n  cipher aes128\n  hash sha256\n  exchange-group group 14\n"
    "ike-peer P\n  remote-address 192.0.2.10\n  auth-method rsa digital signature\n"
)


@pytest.mark.parametrize("names", [" {}, {}", ":\n    - {}\n    - {}"])
def test_several_names_behind_one_key_are_all_meant(names: str) -> None:
    lines = f"  remote-networks{names.format('A', 'B')}\n  ike-suite{names.format('ONE', 'TWO')}\n  bind-address wan\n"
    (tunnel,) = draft_of(f"{CARDS}{PARTS}tunnel a\n  ike-peer P\n{lines}").sheet.tunnel
    assert (tunnel.local, tunnel.peer, tunnel.auth) == ("203.0.113.10", "192.0.2.10", "certificate")
    assert tunnel.remote_ts == ("10.96.0.0/24", "10.97.0.0/24")
    assert [(p.encryption, p.group) for p in tunnel.ike_proposal] == [
        (("AES-CBC-256",), (14,)),
        (("AES-CBC-128",), (14,)),
    ]


def test_lines_of_commands_may_tell_of_a_remote_gateway() -> None:
    text = "set remote-gateway P address 192.0.2.10\nset remote-gateway P ike-version 2\n"
    text += "set tunnel a gateway P\nset tunnel a local 203.0.113.10\n"
    (tunnel,) = draft_of(text).sheet.tunnel
    assert (tunnel.peer, tunnel.ike) == ("192.0.2.10", 2)


@pytest.mark.parametrize("many", ["B " * 20_000, "B q " * 20_000])
def test_a_line_that_speaks_of_thousands_of_blocks_ends(many: str) -> None:
    text = f"blk B\n  remote-network 10.96.0.0/24\ntunnel a\n  peer 192.0.2.10\n  uses {many}\n"
    assert [t.peer for t in draft_of(text).sheet.tunnel] == ["192.0.2.10"]


def test_lists_are_put_in_place_of_their_name_so_often_and_no_more() -> None:
    rows = "".join(f"packet-list L pass ip 10.{n % 200}.{n // 200}.0/24 10.96.0.0/16\n" for n in range(3_000))
    text = rows + "translate packet-list L interface wan masquerade\n" * 3_000
    assert len(draft_of(text).sheet.translation) < 30_000


def test_a_remark_speaks_of_no_list() -> None:
    rules = "filter hall pass tcp 10.96.0.0/16 10.64.0.0/24\n"
    sheet = draft_of(f"{CARDS}{rules}tunnel a\n  peer 192.0.2.10\n  description to the hall and back\n").sheet
    assert [rule.name for rule in sheet.filter] == ["hall"] and sheet.tunnel[0].remote_ts == ()
