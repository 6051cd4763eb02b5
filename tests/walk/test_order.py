"""What decides a packet's way when two things could: the more specific route, a list's policy, translation after translation, a mask."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import Any

import pytest

from stomion.ingest.ostables import read_table
from stomion.model.provenance import Provenance
from stomion.model.tables import Action, Address, Chain, ChainKind, Hook, Policy, Route, Rule, Tables
from stomion.space.axis import address_number, address_text, interval_of, prefix_of
from stomion.space.boxes import EVERY, box_of
from stomion.walk.gateway import outbound
from stomion.walk.journey import Side, packet_box, round_trip, travel
from stomion.walk.passage import Fate, Passage, Reason
from stomion.walk.pieces import Piece
from stomion.walk.routing import longest
from stomion.whatif.edits import added
from stomion.whatif.typed import parse_change

HERE = Provenance("tables.json", "a")
LAN, FAR = interval_of("10.64.0.0/24")[0], interval_of("10.96.0.0/20")[0]


def _tables(**more: Any) -> Tables:
    addresses: dict[str, tuple[Address, ...]] = {}
    for dev, text in (("lan0", "10.64.0.1/24"), ("wan0", "192.0.2.10/24"), ("wan0", "2001:db8::10/64")):
        row = (address_number(text.partition("/")[0]), interval_of(text)[0])
        addresses[dev] = (*addresses.get(dev, ()), row)
    routes = (("10.64.0.0/24", "lan0", ""), ("192.0.2.0/24", "wan0", ""), ("0.0.0.0/0", "wan0", "192.0.2.1"))
    known = tuple(Route(*prefix_of(to), HERE, via, dev) for to, dev, via in routes)
    tables = Tables("a", addresses=addresses, routes=known, policies=(Policy("t", (LAN,), (FAR,), "", HERE),))
    return replace(tables, **more)


def _out(tables: Tables, service: str = "tcp/80", to: str = "10.96.1.5") -> Passage:
    (found,) = outbound(tables, [Piece(packet_box("10.64.0.9", to, service))], "lan0")
    return found


@pytest.mark.parametrize("typed", ["route 10.96.0.0/20 via 192.0.2.1", "route 0.0.0.0/1 via 192.0.2.1"])
def test_a_typed_route_is_as_long_as_one_that_was_read(typed: str) -> None:
    """A more specific route of the system wins over a wider one that is tried, whatever was typed."""
    tables = read_table("routes", b'[{"dst":"10.96.1.0/24","dev":"tun0"}]', "route.json", _tables())
    after, _ = added(tables, parse_change(typed, tables))
    assert longest(after, address_number("10.96.1.5")).dev == "tun0"
    assert longest(after, address_number("10.96.2.5")).dev == "wan0"


@pytest.mark.parametrize(("policy", "fate"), [(Action.DROP, Fate.DROPPED), (Action.ACCEPT, Fate.CARRIED)])
def test_a_return_in_a_base_chain_meets_its_policy(policy: Action, fate: Fate) -> None:
    rule = Rule(1, Action.RETURN, (EVERY,), HERE)
    chain = Chain("f", (rule,), ChainKind.FILTER, Hook.FORWARD, 0, policy, HERE)
    found = _out(_tables(chains={"f": chain}))
    assert found.fate is fate
    assert any(s.rule is rule for s in found.steps)


def test_a_packet_is_source_translated_after_its_destination_was() -> None:
    sent_on = Rule(1, Action.DESTINATION_TO, (box_of(destination=FAR),), HERE, to="10.96.1.7")
    hidden = Rule(1, Action.MASQUERADE, (EVERY,), HERE)
    chains = {
        "pre": Chain("pre", (sent_on,), ChainKind.NAT, Hook.PREROUTING, -100),
        "post": Chain("post", (hidden,), ChainKind.NAT, Hook.POSTROUTING, 100),
    }
    found = _out(_tables(chains=chains))
    assert found.fate is Fate.TRANSLATED and found.decided is not None and found.decided.rule is hidden
    assert [address_text(found.piece.now[axis][0]) for axis in (0, 1)] == ["192.0.2.10", "10.96.1.7"]


def test_an_answer_is_set_back_by_the_gateway_that_changed_its_question() -> None:
    """The far gateway sends the question to another host; the answer comes from the address that was asked."""
    sent_on = Rule(1, Action.DESTINATION_TO, (box_of(destination=FAR),), HERE, to="10.96.1.7")
    far = _tables(
        policies=(Policy("t", (FAR,), (LAN,), "", HERE),),
        routes=tuple(
            Route(*prefix_of(to), HERE, "", dev) for to, dev in (("10.96.0.0/20", "lan0"), ("0.0.0.0/0", "wan0"))
        ),
        chains={"pre": Chain("pre", (sent_on,), ChainKind.NAT, Hook.PREROUTING, -100)},
    )
    sides = [Side(n, t, {}, t.policies[0], t.policies[0].near) for n, t in (("a", _tables()), ("b", far))]
    trip = round_trip(sides[0], sides[1], packet_box("10.64.0.9", "10.96.1.5", "tcp/80"))
    assert trip.works and trip.back is not None and trip.back.passage is not None
    assert trip.back.box[0] == (address_number("10.96.1.7"),) * 2
    assert trip.back.passage.piece.now[0] == (address_number("10.96.1.5"),) * 2


@pytest.mark.parametrize(("mark", "leads"), [("1", True), ("3", True), ("257", True), ("2", False), ("0", False)])
def test_a_mark_is_compared_under_its_mask(mark: str, leads: bool) -> None:
    first = {"priority": 100, "src": "all", "fwmark": "0x1", "fwmask": "0x1", "table": "100"}
    rules = [first, {"priority": 32766, "src": "all", "table": "main"}]
    marking = Rule(1, Action.MARK, (EVERY,), HERE, to=mark)
    tables = _tables(chains={"m": Chain("m", (marking,), ChainKind.FILTER, Hook.PREROUTING, -150)})
    other = Route(*prefix_of("10.96.0.0/20"), HERE, "", "other", table="100")
    tables = replace(tables, routes=(*tables.routes, other))
    found = _out(read_table("rules", json.dumps(rules).encode(), "rule.json", tables))
    assert found.way is not None and found.way.dev == ("other" if leads else "wan0")


def test_a_mark_stays_on_the_machine_that_set_it() -> None:
    """What one gateway marks arrives at the other, and at its hosts, without a mark."""
    marking = Rule(1, Action.MARK, (EVERY,), HERE, to="1")
    near = _tables(chains={"m": Chain("m", (marking,), ChainKind.FILTER, Hook.FORWARD)})
    marked = Rule(1, Action.DROP, (EVERY,), HERE, marks=((1, 1),))
    hooks = (Hook.PREROUTING, Hook.INPUT)
    stopped = {h.value: Chain(h.value, (marked,), ChainKind.FILTER, h) for h in hooks}
    far = Tables(
        "b",
        policies=(Policy("t", (FAR,), (LAN,), "", HERE),),
        routes=tuple(
            Route(*prefix_of(to), HERE, "", dev) for to, dev in (("10.96.0.0/20", "lan0"), ("0.0.0.0/0", "wan0"))
        ),
        chains={"m": Chain("m", (marking,), ChainKind.FILTER, Hook.FORWARD), **stopped},
    )
    host = Tables("b", "h", addresses={"eth0": ((address_number("10.96.1.5"), FAR),)}, chains=stopped)
    sides = [Side(n, t, h, t.policies[0], t.policies[0].near) for n, t, h in (("a", near, {}), ("b", far, {"h": host}))]
    (leg,) = travel(sides[0], sides[1], [packet_box("10.64.0.9", "10.96.1.5", "tcp/80")])
    assert leg.fate is Fate.CARRIED


@pytest.mark.parametrize("service", ["icmp", "icmpv6"])
def test_an_echo_reply_has_its_own_type(service: str) -> None:
    """A rule that lets echo replies out, and nothing else back, lets the answer to a ping pass: IPv6's too."""
    v6 = service == "icmpv6"
    lan, far = (interval_of(t)[0] for t in (("fd00:a::/64", "fd00:b::/64") if v6 else ("10.64.0.0/24", "10.96.0.0/20")))
    reply = Rule(
        1, Action.ACCEPT, (box_of(protocol=(58, 58) if v6 else (1, 1), port=(129, 129) if v6 else (0, 0)),), HERE
    )
    ask = Rule(
        2, Action.ACCEPT, (box_of(protocol=(58, 58) if v6 else (1, 1), port=(128, 128) if v6 else (8, 8)),), HERE
    )

    def side(name: str, near: tuple[int, int], other: tuple[int, int]) -> Side:
        # Each gateway's list also sees what comes out of the tunnel: the question at b, the answer at a.
        tables = Tables(
            name,
            policies=(Policy("t", (near,), (other,), "", HERE),),
            routes=(Route(near, 1, HERE, "", "lan0"), Route(other, 1, HERE, "", "wan0")),
            chains={"f": Chain("f", (ask, reply), ChainKind.FILTER, Hook.POSTROUTING, 0, Action.DROP)},
        )
        return Side(name, tables, {}, tables.policies[0], (near,))

    a, b = side("a", lan, far), side("b", far, lan)
    hosts = ("fd00:a::9", "fd00:b::5") if v6 else ("10.64.0.9", "10.96.1.5")
    trip = round_trip(a, b, packet_box(*hosts, "icmp"))
    assert trip.back is not None and trip.back.steps[-1][1].rule is reply and trip.works


@pytest.mark.parametrize("to", ["192.0.2.1-192.0.2.9", "nowhere", "2001:db8::1"])
def test_a_translation_to_what_is_no_address_leaves_it_open(to: str) -> None:
    rule = Rule(1, Action.SOURCE_TO, (EVERY,), HERE, to=to)
    found = _out(_tables(chains={"n": Chain("n", (rule,), ChainKind.NAT, Hook.POSTROUTING, 100)}))
    assert found.fate is Fate.UNCERTAIN and found.steps[-1].reason is Reason.TRANSLATION_UNCLEAR


def test_filters_and_translations_of_a_hook_are_asked_in_the_order_of_their_priorities() -> None:
    """A filter after the destination translation sees the new address, one before it the old one."""
    sent_on = Rule(1, Action.DESTINATION_TO, (EVERY,), HERE, to="10.96.1.7")
    drop = Rule(1, Action.DROP, (box_of(destination=(address_number("10.96.1.7"),) * 2),), HERE)
    nat = Chain("n", (sent_on,), ChainKind.NAT, Hook.PREROUTING, -100)
    for priority, fate in ((-150, Fate.CARRIED), (-50, Fate.DROPPED)):
        filters = Chain("f", (drop,), ChainKind.FILTER, Hook.PREROUTING, priority)
        assert _out(_tables(chains={"n": nat, "f": filters})).fate is fate


def test_forwarding_is_switched_for_each_address_family() -> None:
    text = b"net.ipv4.ip_forward = 1\nnet.ipv6.conf.all.forwarding = 0\n"
    tables = read_table("forwarding", text, "sysctl", _tables())
    assert (tables.forwards(False), tables.forwards(True)) == (True, False)
    assert _out(tables).fate is Fate.CARRIED
