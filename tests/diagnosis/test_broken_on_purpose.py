"""Recorded healthy tunnels broken on purpose, one fault at a time: each must be found, at its end, and by one end's evidence alone."""

from __future__ import annotations

import copy
import json
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import pytest

from conftest import RECORDED
from stomion.jobs.examine import Examined, examine
from stomion.model.finding import Certainty

Rows = list[dict[str, Any]]
COUNTER: dict[str, Any] = {"counter": {"packets": 0, "bytes": 0}}


@dataclass
class Wreck:
    """A copy of a recorded case whose tables and test results are changed together."""

    folder: Path
    tests: Rows = field(default_factory=list)

    def __post_init__(self) -> None:
        self.tests = [json.loads(line) for line in self._records.read_text().splitlines()]

    @property
    def _records(self) -> Path:
        return self.folder / "path" / "records.jsonl"

    def lan(self, site: str) -> str:
        """The host behind a site, as the tests ask for it."""
        return next(
            r["to"] for r in self.tests if r["kind"] == "test" and "/" in r["from"] and not r["from"].startswith(site)
        )

    def fail(self, which: Callable[[dict[str, Any]], bool]) -> None:
        """Let the LAN tests for which this holds go without an answer."""
        for row in self.tests:
            if row["kind"] == "test" and "/" in row["from"] and which(row):
                row.update(received=0, error="timeout")
                row.pop("rtt_ms", None)
        self.write_tests()

    def write_tests(self) -> None:
        self._records.write_text("\n".join(json.dumps(r) for r in self.tests) + "\n")

    def change(self, file: str, edit: Callable[[Any], Any]) -> None:
        path = self.folder / file
        path.write_text(json.dumps(edit(json.loads(path.read_text()))))

    def rules(self, site: str, edit: Callable[[Rows], Rows]) -> None:
        self.change(f"{site}/nft-ruleset.json", lambda data: {"nftables": edit(data["nftables"])})


def named(row: dict[str, Any], comment: str, chain: str = "") -> bool:
    rule = row.get("rule", {})
    return rule.get("comment") == comment and chain in ("", rule.get("chain"))


def gone(comment: str) -> Callable[[Rows], Rows]:
    return lambda rows: [r for r in rows if not named(r, comment)]


def expression(comment: str, edit: Callable[[Rows], Rows]) -> Callable[[Rows], Rows]:
    def changed(rows: Rows) -> Rows:
        for row in rows:
            if named(row, comment):
                row["rule"]["expr"] = edit(row["rule"]["expr"])
        return rows

    return changed


def beside(comment: str, chain: str, expr: Rows, name: str, below: bool = False) -> Callable[[Rows], Rows]:
    """A new rule above (or below) a known one."""

    def changed(rows: Rows) -> Rows:
        at = next(i for i, r in enumerate(rows) if named(r, comment, chain))
        fresh = copy.deepcopy(rows[at])
        fresh["rule"].update(expr=expr, comment=name)
        rows.insert(at + below, fresh)
        return rows

    return changed


def swapped_translation(rows: Rows) -> Rows:
    first, second = (i for i, r in enumerate(rows) if r.get("rule", {}).get("chain") == "postrouting")
    rows[first], rows[second] = rows[second], rows[first]
    return rows


def match(left: dict[str, Any], right: Any) -> dict[str, Any]:
    return {"match": {"op": "==", "left": left, "right": right}}


ICMP = match({"meta": {"key": "l4proto"}}, "icmp")
INTO_TUNNEL = match({"meta": {"key": "oifname"}}, "ipsec0")


def port(number: int) -> dict[str, Any]:
    return match({"payload": {"protocol": "tcp", "field": "dport"}}, number)


def towards(prefix: str, length: int) -> dict[str, Any]:
    return match({"payload": {"protocol": "ip", "field": "daddr"}}, {"prefix": {"addr": prefix, "len": length}})


def everything(_row: dict[str, Any]) -> bool:
    return True


def north(row: dict[str, Any]) -> bool:
    return bool(row["from"].startswith("north"))


def south(row: dict[str, Any]) -> bool:
    return bool(row["from"].startswith("south"))


def web(row: dict[str, Any]) -> bool:
    return north(row) and row["service"] == "tcp/80"


def _no_allow_south(w: Wreck) -> None:
    w.rules("south", gone("north LAN to south LAN"))
    w.fail(north)


def _no_allow_north(w: Wreck) -> None:
    w.rules("north", gone("south LAN to north LAN"))
    w.fail(south)


def _wrong_action(w: Wreck) -> None:
    turned = expression("north LAN to south LAN", lambda e: [*(x for x in e if "accept" not in x), {"drop": None}])
    w.rules("south", turned)
    w.fail(north)


def _no_exemption(w: Wreck) -> None:
    w.rules("south", gone("no NAT towards north"))
    w.fail(south)


def _exemption_below(w: Wreck) -> None:
    w.rules("north", swapped_translation)
    w.fail(north)


def _exemption_of_a_half(w: Wreck) -> None:
    net, _, last = w.lan("north").rpartition(".")
    other = f"{net}.{'128' if int(last) < 128 else '0'}"
    w.rules("south", expression("no NAT towards north", lambda e: [e[0], towards(other, 25), *e[2:]]))
    w.fail(south)


def _stolen_route(w: Wreck) -> None:
    stolen = {"dst": w.lan("south"), "gateway": "192.0.2.250", "dev": "eth0", "table": "220", "flags": []}
    w.change("north/ip-route.json", lambda rows: [stolen, *rows])
    w.fail(everything)


def _stolen_by_a_rule(w: Wreck) -> None:
    early = {"priority": 100, "src": w.lan("south"), "table": "main"}
    w.change("south/ip-rule.json", lambda rows: [rows[0], early, *rows[1:]])
    w.fail(everything)


def _no_forwarding(w: Wreck) -> None:
    (w.folder / "north" / "forwarding").write_text("net.ipv4.ip_forward = 0\n")
    w.fail(everything)


def _wrong_gateway(w: Wreck) -> None:
    away = w.lan("south").rpartition(".")[0] + ".77"
    host = next((w.folder / "south" / "hosts").iterdir()).name

    def turned(rows: Rows) -> Rows:
        return [{**r, "gateway": away} if r["dst"] == "default" else r for r in rows]

    w.change(f"south/hosts/{host}/ip-route.json", turned)
    w.fail(everything)


def _no_tunnel_route(w: Wreck) -> None:
    w.change("south/ip-route.json", lambda rows: [r for r in rows if r.get("table") != "220"])
    w.fail(everything)


def _host_drops(w: Wreck) -> None:
    host = next((w.folder / "south" / "hosts").iterdir())
    chain = {
        "family": "inet",
        "table": "f",
        "name": "input",
        "type": "filter",
        "hook": "input",
        "prio": 0,
        "policy": "accept",
    }
    rule = {
        "family": "inet",
        "table": "f",
        "chain": "input",
        "comment": "no web",
        "expr": [port(80), COUNTER, {"drop": None}],
    }
    (host / "nft.json").write_text(json.dumps({"nftables": [{"chain": chain}, {"rule": rule}]}))
    w.fail(web)


def _ping_only(w: Wreck) -> None:
    w.rules("south", expression("north LAN to south LAN", lambda e: [ICMP, *e]))
    w.fail(web)


def _no_ping(w: Wreck) -> None:
    w.rules("south", beside("north LAN to south LAN", "forward", [ICMP, COUNTER, {"drop": None}], "no ping here"))
    w.fail(lambda row: row["service"] == "icmp")


def _block_above(w: Wreck) -> None:
    block = [INTO_TUNNEL, COUNTER, {"drop": None}]
    w.rules("north", beside("north LAN to south LAN", "forward", block, "nothing else into tunnels"))
    w.fail(north)


def _block_below(w: Wreck) -> None:
    block = [port(80), COUNTER, {"drop": None}]
    w.rules("south", beside("north LAN to south LAN", "forward", block, "no web", below=True))
    for row in w.tests:
        if row.get("service") == "tcp/80":
            row["expected"] = "blocked"
    w.write_tests()


def _block_in_another_chain(w: Wreck) -> None:
    def jumping(rows: Rows) -> Rows:
        rows = beside("north LAN to south LAN", "forward", [{"jump": {"target": "closer"}}], "look closer")(rows)
        inner = copy.deepcopy(next(r for r in rows if named(r, "look closer")))
        inner["rule"].update(
            chain="closer", expr=[port(80), COUNTER, {"reject": {"type": "tcp reset"}}], comment="no web"
        )
        chain = {"chain": {"family": "inet", "table": "filter", "name": "closer"}}
        return [rows[0], chain, *rows[1:], inner]

    w.rules("south", jumping)
    w.fail(web)


def _sent_to_a_proxy(w: Wreck) -> None:
    base = {"family": "ip", "table": "nat", "comment": "web to the proxy", "chain": "prerouting"}
    chain = {
        "family": "ip",
        "table": "nat",
        "name": "prerouting",
        "type": "nat",
        "hook": "prerouting",
        "prio": -100,
        "policy": "accept",
    }
    to = w.lan("south").rpartition(".")[0] + ".199"
    rule = {**base, "expr": [port(80), COUNTER, {"dnat": {"addr": to}}]}
    w.rules("south", lambda rows: [*rows, {"chain": chain}, {"rule": rule}])
    w.fail(web)


def _two_default_routes(w: Wreck) -> None:
    def hops(rows: Rows) -> Rows:
        default = next(r for r in rows if r["dst"] == "default")
        both = [
            {"gateway": default["gateway"], "dev": "eth0", "flags": []},
            {"gateway": "192.0.2.250", "dev": "eth0", "flags": []},
        ]
        return [{"dst": "default", "nexthops": both, "flags": []}, *(r for r in rows if r is not default)]

    w.change("north/ip-route.json", hops)


@dataclass(frozen=True)
class Fault:
    """What is done, the code it must lead to, at which end, and the rule that decides; no code: the tunnel stays healthy."""

    wreck: Callable[[Wreck], None]
    code: str = ""
    side: str = ""
    rule: str = ""


FAULTS = {
    "no rule allows it, south": Fault(_no_allow_south, "filter-blocks", "south", "the end of inet filter forward"),
    "no rule allows it, north": Fault(_no_allow_north, "filter-blocks", "north", "the end of inet filter forward"),
    "an allow that drops": Fault(_wrong_action, "wrong-action", "south", "rule 3 “north LAN to south LAN”"),
    "no exemption": Fault(_no_exemption, "exemption-missing", "south", "“LAN to internet”"),
    "exemption below": Fault(_exemption_below, "exemption-shadowed", "north", "rule 1 “LAN to internet”"),
    "exemption of a half": Fault(_exemption_of_a_half, "exemption-partial", "south", "rule 2 “LAN to internet”"),
    "a better route": Fault(_stolen_route, "route-stolen", "north"),
    "policy routing": Fault(_stolen_by_a_rule, "route-stolen", "south"),
    "no forwarding": Fault(_no_forwarding, "forwarding-disabled", "north"),
    "a host's wrong gateway": Fault(_wrong_gateway, "return-route-missing", "south"),
    "no route into the tunnel": Fault(_no_tunnel_route, "tunnel-route-missing", "south"),
    "a host that drops": Fault(_host_drops, "host-filter-blocks", "south", "rule 1 “no web”"),
    "ping only": Fault(_ping_only, "service-not-allowed", "south"),
    "no ping": Fault(_no_ping, "service-not-allowed", "south", "rule 3 “no ping here”"),
    "a block above the allow": Fault(_block_above, "allow-shadowed", "north", "rule 2 “nothing else into tunnels”"),
    "a block below the allow": Fault(_block_below, "block-without-effect", "south", "rule 4 “no web”"),
    "a block in a chain that is jumped to": Fault(
        _block_in_another_chain, "service-not-allowed", "south", "rule 1 “no web”"
    ),
    "sent to another host": Fault(_sent_to_a_proxy, "exemption-missing", "south", "rule 1 “web to the proxy”"),
    "two next hops of one interface": Fault(_two_default_routes),
}


@pytest.fixture
def wreck(tmp_path: Path) -> Callable[[str, Fault], Path]:
    def build(base: str, fault: Fault) -> Path:
        folder = tmp_path / "case"
        shutil.copytree(RECORDED / base, folder)
        fault.wreck(Wreck(folder))
        return folder

    return build


def _judged(examined: Examined) -> tuple[str, list[str], str]:
    first = examined.worst_first()[0].first_fault
    return (first.code, list(first.sides), str(first.facts.get("rule", ""))) if first is not None else ("", [], "")


def _ways(folder: Path) -> Iterator[str]:
    """The whole evidence; then without sheets; then the tables and tests alone, with them."""
    yield "all"
    sheets = folder / "sites"
    away = folder.parent / "sites"
    shutil.move(sheets, away)
    yield "without sheets"
    shutil.move(away, sheets)
    for path in [*folder.rglob("*.pcap"), *folder.rglob("*.log")]:
        path.unlink()
    yield "tables and tests"


@pytest.mark.parametrize("base", ["v2-healthy", "v2-nat-t-healthy"])
@pytest.mark.parametrize("name", FAULTS)
def test_the_fault_is_found(wreck: Callable[[str, Fault], Path], base: str, name: str) -> None:
    fault = FAULTS[name]
    folder = wreck(base, fault)
    for way in _ways(folder):
        examined = examine([folder])
        code, sides, rule = _judged(examined)
        assert (code, sides) == (fault.code, [fault.side] if fault.side else []), way
        assert fault.rule in rule, way
        first = examined.worst_first()[0].first_fault
        likely = fault.code == "wrong-action" or name == "a host's wrong gateway"
        assert first is None or first.certainty is (Certainty.LIKELY if likely else Certainty.PROVEN)


@pytest.mark.parametrize("name", [n for n, f in FAULTS.items() if f.code != "block-without-effect"])
def test_one_end_alone_finds_its_own_fault_and_none_of_the_others(
    wreck: Callable[[str, Fault], Path], name: str
) -> None:
    """Access to one of two ends is the usual case: its tables are judged, and nothing is said of it that is the other end's."""
    fault = FAULTS[name]
    whole = wreck("v2-healthy", fault)
    for kept, other in (("north", "south"), ("south", "north")):
        folder = whole.parent / kept
        shutil.copytree(whole, folder)
        shutil.rmtree(folder / other)
        (folder / "sites" / f"{other}.toml").unlink()
        code, sides, _ = _judged(examine([folder]))
        assert (code, sides) == ((fault.code, [kept]) if fault.side == kept else ("", [])), kept
