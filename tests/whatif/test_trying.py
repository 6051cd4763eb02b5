"""Changes tried in the picture: typed, made, taken back, side by side, and what they lead to; and all packets as a map."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from conftest import RECORDED
from stomion.diagnosis.runner import Diagnosis
from stomion.errors import UsageError
from stomion.jobs.demo import demo_folder
from stomion.jobs.examine import Examined, examine
from stomion.jobs.flowtext import parse_flow
from stomion.jobs.steps import write_steps
from stomion.model.tables import Tables
from stomion.space.axis import interval_of
from stomion.space.boxes import EVERY, Region
from stomion.tunnel.flows import flows_of
from stomion.views.packetmap import packet_map
from stomion.walk.passage import Fate
from stomion.whatif import edits
from stomion.whatif.attempt import MAX_TRIES, Try
from stomion.whatif.steps import steps_page, steps_text
from stomion.whatif.suggest import machines, named_place, suggestion
from stomion.whatif.tables import Place, by_tables, outcome, tried
from stomion.whatif.typed import parse_change, route_text, rule_text
from stomion.whatif.workbench import Workbench


def on(place: Place, edit: Callable[[Tables], edits.Edited]) -> Callable[[Try], Try]:
    """A step at one machine."""
    return lambda attempt: tried(attempt, place, edit)


_WAN, _LAN = interval_of("192.0.2.0/24")[0], interval_of("10.96.0.0/20")[0]
GATEWAY = Tables("quayhead", addresses={"wan0": ((0xC000020A, _WAN),), "lan0": ((0x0A600001, _LAN),)})


def _tunnel(demo: Examined, name: str) -> Diagnosis:
    return next(d for d in demo.tunnels if d.picture.name == name)


@pytest.mark.parametrize(
    "text",
    [
        "allow 10.64.0.0/21 > 10.96.0.0/20 tcp/80,udp/500-520",
        "drop 10.64.0.0/21,10.70.0.0/24 > any icmp in lan0",
        "reject",
        "exempt 10.96.0.0/20 > 10.64.0.0/21 out wan0",
        "masquerade 10.96.0.0/20 > any out wan0",
        "source-to 192.0.2.10 10.96.0.0/20 > any",
        "destination-to 10.96.0.10 any > 192.0.2.10/32 tcp/443",
        "allow 2001:db8::/64 > 2001:db8:1::/64 tcp/22",
    ],
)
def test_a_rule_typed_is_the_rule_written(text: str) -> None:
    rule = parse_change(text, GATEWAY).rule
    assert rule is not None
    written = rule_text(rule)
    assert written is not None
    again = parse_change(written, GATEWAY).rule
    assert again is not None and Region(again.boxes).same(Region(rule.boxes))
    assert (again.action, again.to, again.in_dev, again.out_dev) == (
        rule.action, rule.to, rule.in_dev, rule.out_dev,
    )  # fmt: skip


@pytest.mark.parametrize(
    ("text", "written"),
    [
        ("route 10.64.0.0/21 via 192.0.2.1", "route 10.64.0.0/21 via 192.0.2.1 dev wan0"),
        ("route default dev wan0 metric 20 table backup", "route default dev wan0 metric 20 table backup"),
        ("route 10.0.0.0/8 blackhole", "route 10.0.0.0/8 blackhole"),
    ],
)
def test_a_route_typed_is_the_route_written(text: str, written: str) -> None:
    route = parse_change(text, GATEWAY).route
    assert route is not None and route_text(route) == written


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "a change begins with allow"),
        ("open the gates", "'open' is no change"),
        ("allow 10.64.0.0/21 10.96.0.0/20 tcp/80", "no service"),
        ("allow > 10.96.0.0/20", "SOURCE > DESTINATION"),
        ("allow 10.64.0.0/33 > any", "no range"),
        ("allow any > any tcp/x", "no service"),
        ("allow 10.64.0.0/21 > 2001:db8::/64", "two address families"),
        ("allow any > any in", "something must follow 'in'"),
        ("exempt any > any out wan7", "'wan7' is no interface of quayhead: lan0, wan0"),
        ("source-to", "an address is missing"),
        ("source-to somewhere any > any", "'somewhere' is no address"),
        ("route", "a route is: route PREFIX"),
        ("route 10.64.0.0/21", "the route needs a next hop"),
        ("route 10.64.0.0/21 via 203.0.113.1", "in no network of this machine"),
        ("route 10.64.0.1-10.64.0.9 dev wan0", "no prefix"),
        ("route default dev wan0 metric low", "no metric"),
        ("forwarding maybe", "forwarding is on or off"),
    ],
)
def test_what_can_t_be_meant_is_refused_with_what_would_be_right(text: str, words: str) -> None:
    with pytest.raises(UsageError, match=re.escape(words)):
        parse_change(text, GATEWAY)


@given(st.text(alphabet="alowdrpexmt0123456789./>-,: routevia", max_size=60))
def test_whatever_is_typed_is_understood_or_refused(text: str) -> None:
    try:
        parse_change(text, GATEWAY)
    except UsageError as error:
        assert str(error)


def test_the_exemption_moved_up_mends_eelgrass_and_nothing_else(demo: Examined) -> None:
    picture = _tunnel(demo, "quayhead-eelgrass").picture
    side = 1 if picture.right.site == "eelgrass" else 0
    tables = picture.ends[side].tables
    assert tables is not None
    bench = Workbench(picture, outcome)
    exempt = tables.chains["translation"].rules[1]
    bench.change(on(Place(side), lambda t: edits.moved(t, exempt, -1)))
    found = bench.work_out(bench.tries[0])
    assert found.amiss == 0 and len(found.mended) == 2 and not found.spoiled
    assert [f.code for f in found.gone] == ["exemption-shadowed"] and not found.fresh and not found.left
    assert {(d.before, d.after) for d in found.differences} == {
        (Fate.TRANSLATED, Fate.CARRIED),
        (Fate.TRANSLATED, Fate.LOCAL),
    }
    assert picture.ends[side].tables is tables and tables.chains["translation"].rules[1] is exempt


def test_several_tries_stand_side_by_side_and_each_goes_back_alone(demo: Examined) -> None:
    picture = _tunnel(demo, "quayhead-whelk").picture
    side = 1 if picture.right.site == "whelk" else 0
    bench = Workbench(picture, outcome)
    for complaint in (bench.undo, bench.redo, bench.another, bench.next, bench.drop):
        with pytest.raises(UsageError):
            complaint()
    allow = parse_change("allow 10.96.0.0/20 > any icmp", GATEWAY)
    bench.change(on(Place(side), lambda t: edits.added(t, allow)))
    first = bench.picture
    bench.another()
    assert bench.picture is picture and not bench.trying and bench.letter == ""
    bench.change(on(Place(side), lambda t: edits.without(t, t.chains["filter"].rules[-1])))
    assert [t.letter for t in bench.tries] == ["A", "B"] and bench.letter == "B"
    bench.undo()
    assert bench.picture is picture and not bench.tries[1].changes
    bench.redo()
    assert bench.tries[1].changes
    bench.next()
    assert bench.picture is first
    assert {t.letter for t in bench.waiting()} == {"A", "B"}
    assert bench.work_out(bench.tries[0]) is bench.work_out(bench.tries[0])
    flow = parse_flow("10.96.0.9 > 10.76.0.9 tcp/22", picture)
    assert not isinstance(flow, str)
    bench.expect(flow)
    assert bench.tries[0].picture.expected[-1] is flow and bench.base.expected[-1] is flow
    bench.undo()
    assert bench.picture.expected[-1] is flow
    bench.drop()
    assert [t.letter for t in bench.tries] == ["B"]
    while len(bench.tries) < MAX_TRIES:
        bench.another()
        bench.change(on(Place(side), lambda t: edits.added(t, allow)))
    with pytest.raises(UsageError, match="side by side at most"):
        bench.another()


def test_a_host_without_a_gateway_is_mended_by_what_is_suggested(demo: Examined) -> None:
    picture = _tunnel(demo, "quayhead-gannet").picture
    flows = flows_of(picture)
    assert flows is not None
    flow = next(f for f in flows.flows if f.failed and f.broken is not None)
    found = suggestion(flows, flow)
    assert found is not None
    place, text = found
    assert place.host and text.startswith("route default via 10.")
    bench = Workbench(picture, outcome)
    bench.change(on(place, lambda t: edits.added(t, parse_change(text, t))))
    made = bench.work_out(bench.tries[0])
    assert made.amiss == 0 and made.gone and not made.left
    assert place.title(picture) == bench.tries[0].changes[0].site


def test_suggestions_for_eelgrass_and_whelk(demo: Examined) -> None:
    for name, words in (
        ("quayhead-eelgrass", "exempt 10.70.0.0/22 > 10.96.0.0/20"),
        ("quayhead-whelk", "allow 10.96.0.0/20 > 10.76.0.0/2"),
    ):
        picture = _tunnel(demo, name).picture
        flows = flows_of(picture)
        assert flows is not None
        flow = next(f for f in flows.flows if f.failed)
        found = suggestion(flows, flow)
        assert found is not None and found[1].startswith(words)
        bench = Workbench(picture, outcome)
        bench.change(on(found[0], lambda t, text=found[1]: edits.added(t, parse_change(text, t))))  # type: ignore[misc]
        assert flow.test in [f.test for f in flows.flows] and bench.work_out(bench.tries[0]).mended


def test_a_change_goes_to_the_machine_that_is_named(demo: Examined) -> None:
    picture = _tunnel(demo, "quayhead-gannet").picture
    known = machines(picture)
    host = next(p for p in known if p.host)
    title = host.title(picture)
    assert named_place(f"at {title}: forwarding on", picture, known[0]) == (host, "forwarding on")
    assert named_place("forwarding on", picture, known[0]) == (known[0], "forwarding on")
    with pytest.raises(UsageError, match="no tables of 'Nowhere' are known; those of"):
        named_place("at Nowhere: forwarding on", picture, known[0])


def test_edits_of_rules_and_routes(demo: Examined) -> None:
    picture = _tunnel(demo, "quayhead-whelk").picture
    end = next(e for e in picture.ends if e.site == "whelk")
    assert end.tables is not None
    tables = end.tables
    rule = next(r for r in tables.chains["filter"].rules if r.number > 0)
    new, words = edits.changed(tables, rule, parse_change("allow any > any icmp", tables))
    assert words.startswith(f"in filter change {rule.label} to: ")
    made = next(r for r in new.chains["filter"].rules if r.number == rule.number)
    assert (made.name, made.in_zone, made.out_zone) == (
        rule.name,
        rule.in_zone,
        rule.out_zone,
    ) and made.action == "accept"
    more, words = edits.added(tables, parse_change("drop any > any tcp/22", tables), before=rule)
    assert words.endswith(f"above {rule.label}: drop any > any tcp/22")
    assert next(r for r in more.chains["filter"].rules if r.number < 0).label == "new rule 1"
    with pytest.raises(UsageError, match="changed into a filter rule"):
        edits.changed(tables, rule, parse_change("masquerade any > any", tables))
    route = next(r for r in tables.routes if r.length == 0)
    gone, words = edits.without_route(tables, route)
    assert route not in gone.routes and words == f"take the route {route.text} away"
    other, _ = edits.changed_route(tables, route, parse_change("route default dev lan0", tables))
    assert [r.dev for r in other.routes if r.length == 0] == ["lan0"]
    for complaint in (
        lambda: edits.without_route(gone, route),
        lambda: edits.changed_route(tables, route, parse_change("drop", tables)),
        lambda: edits.without(more, edits.added(tables, parse_change("drop", tables))[0].chains["filter"].rules[1]),
    ):
        with pytest.raises(UsageError):
            complaint()
    off, words = edits.added(tables, parse_change("forwarding off", tables))
    assert off.forwarding is False and words == "switch forwarding off"


def test_an_exemption_of_a_sheet_moves_in_both_its_lists(demo: Examined) -> None:
    """It counts for both directions of translation: a change of one list alone would say half of what would happen."""
    picture = _tunnel(demo, "quayhead-eelgrass").picture
    tables = next(e.tables for e in picture.ends if e.site == "eelgrass")
    assert tables is not None
    exempt = tables.chains["translation"].rules[1]
    assert exempt in tables.chains["translation in"].rules
    gone, _ = edits.without(tables, exempt)
    assert all(exempt not in c.rules for c in gone.chains.values())


def test_steps_are_written_beside_the_case_and_never_into_the_demo(demo: Examined, tmp_path: Path) -> None:
    picture = _tunnel(demo, "quayhead-eelgrass").picture
    side = 1 if picture.right.site == "eelgrass" else 0
    bench = Workbench(picture, outcome)
    bench.change(on(Place(side), lambda t: edits.moved(t, t.chains["translation"].rules[1], -1)))
    attempt = bench.tries[0]
    target = write_steps(str(tmp_path), picture, attempt, bench.work_out(attempt))
    text = target.read_text()
    assert target == tmp_path / ".stomion" / "quayhead-eelgrass-steps-A.md"
    assert (
        "## At Eelgrass\n\n1. in translation move rule 2 “not into the tunnel” above rule 1 “to the internet”" in text
    )
    assert "- fixed: ping" in text and "nothing was tested after it" in text
    assert steps_text(attempt).startswith("Eelgrass: in translation move rule 2")
    with pytest.raises(UsageError, match="demo is never written to"):
        write_steps(str(demo_folder()), picture, attempt, bench.work_out(attempt))
    with pytest.raises(UsageError, match="no steps"):
        write_steps(str(tmp_path), picture, Try("A", picture), bench.work_out(attempt))
    assert "- no packet is treated differently" in steps_page(picture, attempt, outcome(picture, picture))


def test_what_was_seen_counts_for_nothing_after_a_change(demo: Examined) -> None:
    picture = by_tables(_tunnel(demo, "quayhead-eelgrass").picture)
    assert not picture.tests and all(not t.seen and not t.passed for t in picture.expected)


def test_a_gateways_own_test_is_no_flow_to_try_a_change_on(demo: Examined) -> None:
    """Else its failing would count as the whole LAN's, before and after."""
    picture = _tunnel(demo, "quayhead-eelgrass").picture
    own = replace(picture.tests[0], source="", who="quayhead", passed=False)
    with_own = replace(picture, tests=[own, *picture.tests])
    assert by_tables(with_own).expected == by_tables(picture).expected
    assert outcome(with_own, with_own).total == outcome(picture, picture).total


MAPPED = """
site = "quayhead"
[[interface]]
name = "wan0"
addresses = ["192.0.2.10/24"]
[[interface]]
name = "lan0"
addresses = ["10.96.0.1/24"]
[[tunnel]]
name = "t"
peer_site = "whelk"
local = "192.0.2.10"
peer = "198.51.100.34"
local_ts = ["10.96.0.0/24"]
remote_ts = ["10.76.0.0/24"]
[[route]]
destination = "0.0.0.0/0"
via = "192.0.2.1"
[[filter]]
match = { source = "10.96.0.0/26", destination = "10.76.0.128/25", service = "tcp/80" }
action = "allow"
[[filter]]
match = { source = "10.96.0.0/26" }
action = "drop"
[[filter]]
match = { service = "any" }
action = "allow"
"""


def test_the_map_is_all_packets_in_as_few_ranges_as_tell_them_apart(tmp_path: Path) -> None:
    (tmp_path / "sites").mkdir()
    (tmp_path / "sites" / "a.toml").write_text(MAPPED)
    far = (
        'site = "whelk"\n[[tunnel]]\nname = "t"\npeer_site = "quayhead"\nlocal = "198.51.100.34"\npeer = "192.0.2.10"\n'
    )
    (tmp_path / "sites" / "b.toml").write_text(far + 'local_ts = ["10.76.0.0/24"]\nremote_ts = ["10.96.0.0/24"]\n')
    (tunnel,) = examine([tmp_path]).tunnels
    flows = flows_of(tunnel.picture)
    assert flows is not None
    shares = max(flows.shares, key=len)
    drawn, then = packet_map(shares)
    assert drawn.rows == (
        interval_of("10.96.0.0/26")[0],
        (interval_of("10.96.0.64")[0][0], interval_of("10.96.0.255")[0][1]),
    )
    assert drawn.columns == (interval_of("10.76.0.0/25")[0], interval_of("10.76.0.128/25")[0])
    assert [[drawn.fates(r, c) for c in (0, 1)] for r in (0, 1)] == [
        [(Fate.DROPPED,), (Fate.CARRIED, Fate.DROPPED)],
        [(Fate.CARRIED,), (Fate.CARRIED,)],
    ]
    total = sum(p.region.size() for r in (0, 1) for c in (0, 1) for p in drawn.field(r, c))
    whole = (interval_of("10.96.0.0/24")[0], interval_of("10.76.0.0/24")[0], *EVERY[2:])
    assert total == sum(s.region.size() for s in shares) == Region((whole,)).size()
    assert then.shares == () and then.rows == drawn.rows
    few, _ = packet_map(shares, (), (1, 1))
    assert few.rows == (interval_of("10.96.0.0/24")[0],) and set(few.fates(0, 0)) == {Fate.CARRIED, Fate.DROPPED}


def test_policy_routing_that_leads_past_the_tunnel_can_be_taken_away() -> None:
    (tunnel,) = examine([RECORDED / "v2-policy-route-bypasses-tunnel"]).tunnels
    picture = tunnel.picture
    flows = flows_of(picture)
    assert flows is not None
    flow = next(f for f in flows.flows if f.failed and f.broken is not None)
    leg = flow.broken
    assert leg is not None
    way = leg.steps[leg.decided][1].way
    assert way is not None and way.rule is not None and not way.rule.of_the_system
    side = flows.ends_of(flow.test.from_left, leg, False)
    bench = Workbench(picture, outcome)
    led = way.rule
    bench.change(on(Place(side), lambda t: edits.without_routing_rule(t, led)))
    found = bench.work_out(bench.tries[0])
    assert bench.tries[0].changes[0].words == f"take {led.label} away" and led.label.startswith("routing rule ")
    assert found.amiss == 0 and [f.code for f in found.gone] == ["route-stolen"] and not found.left
    with pytest.raises(UsageError):
        bench.change(on(Place(side), lambda t: edits.without_routing_rule(t, led)))
