"""Tables that were read twice: which reading is the earlier one, and what changed in between."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.ingest.order import moment_in, order_of
from stomion.ingest.osroutes import with_routes
from stomion.ingest.ruleset import with_ruleset
from stomion.model.tables import Tables

FIRST = [{"dst": "default", "gateway": "192.0.2.1", "dev": "wan0"}] + [
    {"dst": f"10.66.{n}.0/24", "gateway": "192.0.2.9", "dev": "wan0"} for n in range(3)
]


def test_the_earlier_reading_comes_first() -> None:
    names = ["q/rules-after.json", "q/rules-10.json", "q/rules.json", "q/rules-2.json", "q/rules_before.json"]
    assert sorted(names, key=order_of) == [names[4], names[2], names[3], names[1], names[0]]
    assert order_of("before.json")[1] == "before"


@pytest.mark.parametrize(
    ("name", "at"),
    [
        ("q/routes-2026-05-04T0910.json", 1777885800),
        ("q/20260504-091003_rules.json", 1777885803),
        ("q/routes 2026-05-04 09.10.03Z.json", 1777885803),
        ("q/routes-2026-13-04T0910.json", None),
        ("q/routes-2.json", None),
        ("2026-05-04T0910/routes.json", None),
    ],
)
def test_the_moment_in_a_name(name: str, at: float | None) -> None:
    assert moment_in(name) == at


def test_moments_in_names_are_an_order() -> None:
    names = ["q/r-2026-05-04T0910.json", "q/r-20260504T0909.json", "q/r-2026-05-03T1200.json"]
    assert sorted(names, key=order_of) == names[::-1]


@given(st.lists(st.text(st.characters(codec="utf-8", exclude_characters="\0/"), min_size=1), max_size=5))
def test_any_names_have_an_order(names: list[str]) -> None:
    backwards = list(reversed(names))
    assert sorted(backwards, key=order_of) == sorted(names, key=order_of)


@pytest.mark.parametrize(
    ("second", "came", "gone", "count"),
    [
        (FIRST, [], [], 4),
        (FIRST[:3], [], ["10.66.2.0/24 via 192.0.2.9, wan0"], 3),
        ([*FIRST, {"dst": "10.7.0.0/16", "dev": "lan0"}], ["10.7.0.0/16, lan0"], [], 5),
        (
            [*FIRST[:3], FIRST[3] | {"gateway": "192.0.2.1"}],
            ["10.66.2.0/24 via 192.0.2.1, wan0"], ["10.66.2.0/24 via 192.0.2.9, wan0"], 4,
        ),
        ([{"dst": "10.7.0.0/16", "dev": "lan0"}], [], [], 5),
        ([{"dst": "10.7.0.0/16", "dev": "lan0", "table": "50"}, *FIRST], [], [], 5),
        ([{"dst": "2001:db8::/32", "dev": "wan0"}], [], [], 5),
    ],
    ids=["the same", "one went", "one came", "another next hop", "another part", "all tables", "another family"],
)  # fmt: skip
def test_routes_read_twice(second: list[dict[str, str]], came: list[str], gone: list[str], count: int) -> None:
    tables = with_routes(with_routes(Tables("quayhead"), FIRST, "routes.json"), second, "routes-2.json")
    assert ([e.text for e in tables.came], [e.text for e in tables.gone]) == (came, gone)
    assert len(tables.routes) == count


def _ruleset(*names: str) -> dict[str, Any]:
    chain = {
        "family": "ip",
        "table": "t",
        "name": "forward",
        "type": "filter",
        "hook": "forward",
        "prio": 0,
        "policy": "accept",
    }
    rules = [
        {"family": "ip", "table": "t", "chain": "forward", "comment": name, "expr": [
            {"match": {"op": "==", "left": {"payload": {"protocol": "ip", "field": "daddr"}}, "right": f"10.66.0.{len(name)}"}},
            {"counter": {"packets": number, "bytes": 0}}, {"drop": None},
        ]}
        for number, name in enumerate(names)
    ]  # fmt: skip
    return {"nftables": [{"chain": chain}, *({"rule": rule} for rule in rules)]}


@pytest.mark.parametrize(
    ("second", "came", "gone"),
    [
        (("a", "bb"), [], []),
        (("bb", "a"), [], []),
        (("a", "ccc", "bb"), ["rule 2 “ccc”"], []),
        (("bb",), [], ["rule 1 “a”"]),
    ],
    ids=["the same", "in another order", "one came", "one went"],
)
def test_rules_read_twice(second: tuple[str, ...], came: list[str], gone: list[str]) -> None:
    tables = with_ruleset(
        with_ruleset(Tables("quayhead"), _ruleset("a", "bb"), "rules.json"), _ruleset(*second), "rules-2.json"
    )
    assert ([e.text for e in tables.came], [e.text for e in tables.gone]) == (came, gone)
    (chain,) = tables.chains.values()
    assert len(chain.rules) == len(second)
