"""How sites are joined: the shape, what takes over from what, wanted relations, and ranges that collide."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.cli.text import check_text
from stomion.jobs.examine import Examined
from stomion.jobs.summary import summary_of
from stomion.space.ranges import PRIVATE, common, covers
from stomion.space.unused import free_range
from stomion.tunnel.sites import columns_of, joined, shape_of
from stomion.views.sites import SitesDrawing, sites_of

Case = Callable[[dict[str, str | bytes]], Examined]


def _tunnel(name: str, far: str, own: str, peer: str, here: str, there: str) -> str:
    ranges = f'local_ts = ["{here}"]\nremote_ts = [{", ".join(repr(t) for t in there.split())}]\n'
    return f'[[tunnel]]\nname = "{name}"\npeer_site = "{far}"\nlocal = "{own}"\npeer = "{peer}"\nike = 2\n{ranges}'


def _net(pairs: list[tuple[int, int]], lans: dict[int, str] | None = None, wide: str = "") -> dict[str, str | bytes]:
    """Sites s0, s1 … with a tunnel for each pair; `wide` is what the first site's selectors hold at the others."""
    sheets: dict[int, str] = {}

    def lan(n: int) -> str:
        return (lans or {}).get(n, f"10.{n}.0.0/24")

    for a, b in pairs:
        for own, far in ((a, b), (b, a)):
            here, there = (
                (wide or lan(own), lan(far))
                if own == 0
                else (lan(own), wide or lan(far))
                if far == 0
                else (lan(own), lan(far))
            )
            sheets[own] = sheets.get(own, f'site = "s{own}"\n') + _tunnel(
                f"s{a}-s{b}", f"s{far}", f"192.0.2.{own + 1}", f"192.0.2.{far + 1}", here, there
            )
    return {f"sites/s{n}.toml": text for n, text in sheets.items()}


def _drawn(examined: Examined) -> SitesDrawing:
    return sites_of(examined.tunnels, examined.evidence.relations)


@pytest.mark.parametrize(
    ("pairs", "hubs", "complete", "parts", "says"),
    [
        ([(0, n) for n in range(1, 5)], ("s0",), False, 1, "around S0: one more site takes 1 more tunnel"),
        ([(a, b) for a in range(4) for b in range(a)], (), True, 1, "one more site takes 4 more tunnels"),
        ([(0, 1), (2, 3)], (), False, 2, "They fall into 2 groups"),
        ([(0, 1), (1, 2), (2, 3), (3, 4)], (), False, 1, "4 of 10 possible pairs joined"),
        ([(0, 1)], (), False, 1, "2 sites, 1 tunnels, one pair"),
    ],
    ids=["star", "mesh", "two groups", "chain", "one pair"],
)
def test_the_shape(
    case: Case, pairs: list[tuple[int, int]], hubs: tuple[str, ...], complete: bool, parts: int, says: str
) -> None:
    examined = case(_net(pairs))
    pictures = [d.picture for d in examined.tunnels]
    shape = shape_of(pictures)
    assert (shape.hubs, shape.complete, shape.parts) == (hubs, complete, parts)
    drawing = _drawn(examined)
    assert says in " ".join(say.text for say in drawing.words)
    # Every tunnel stands once.
    assert sorted(d.picture.name for r in drawing.rows for cell in r.cells.values() for d in cell) == sorted(
        p.name for p in pictures
    )
    assert all({e.site for e in p.ends} & set(columns_of(pictures)) for p in pictures)


@pytest.mark.parametrize(
    ("second", "shared"),
    [
        (("203.0.113.1", "192.0.2.2"), ["S0's gateway", "S1's gateway", "S1's line 192.0.2.2"]),
        (("203.0.113.1", "203.0.113.2"), ["S0's gateway", "S1's gateway"]),
    ],
    ids=["a second line", "a second line at both"],
)
def test_what_takes_all_of_them_down(case: Case, second: tuple[str, str], shared: list[str]) -> None:
    files = _net([(0, 1)])
    own, far = second
    for site, more in (
        ("s0", (own, far, "10.0.0.0/24", "10.1.0.0/24", "s1")),
        ("s1", (far, own, "10.1.0.0/24", "10.0.0.0/24", "s0")),
    ):
        files[f"sites/{site}.toml"] = str(files[f"sites/{site}.toml"]) + _tunnel("other", more[4], *more[:4])
    examined = case(files)
    (group,) = joined([d.picture for d in examined.tunnels])
    assert len(group.pictures) == 2
    assert sorted(e.words for e in group.shared) == sorted(shared)
    said = _drawn(examined).rows[1].says
    assert "What takes all of them down alone" in said[0].text
    assert "never seen to carry" in said[1].text


def _relation(sites: str, want: str, through: str = "") -> str:
    names = ", ".join(f'"{s}"' for s in sites.split())
    return f'[[relation]]\nsites = [{names}]\nwant = "{want}"\n' + (f'through = "{through}"\n' if through else "")


@pytest.mark.parametrize(
    ("wide", "relation", "holds", "says"),
    [
        ("", _relation("s1 s2", "apart"), True, "No selectors join S1 and S2."),
        ("10.0.0.0/8", _relation("s1 s2", "apart"), False, "By the selectors of s0-s1 and s0-s2 S1 and S2 reach each other."),
        ("10.0.0.0/8", _relation("s1 s2", "through", "s0"), True, "reach each other through S0"),
        ("", _relation("s1 s2", "through", "s0"), False, "The selectors between S1 and S0 do not hold 10.2.0.0/24 of S2."),
        ("", _relation("s1 s9", "through", "s0"), False, "No tunnel joins s9 and S0."),
        ("", _relation("s1 s2", "direct"), False, "No tunnel joins S1 and S2."),
        ("", _relation("s0 s1", "direct"), True, "s0-s1 joins S0 and S1."),
        ("", _relation("s0 s1", "apart"), False, "s0-s1 joins S0 and S1."),
    ],
)  # fmt: skip
def test_relations_that_are_wanted(case: Case, wide: str, relation: str, holds: bool, says: str) -> None:
    examined = case({**_net([(0, 1), (0, 2)], wide=wide), "case.toml": relation})
    found = summary_of(examined)
    (one,) = found.relations
    assert (one.holds, says in one.text) == (holds, True)
    text = " ".join(check_text(found).split())
    assert (says in text) is not holds
    assert ("relations that are wanted hold" in text) is holds


_GATE = (
    '[[interface]]\nname = "wan0"\naddresses = ["192.0.2.{n}/24"]\nzone = "outside"\n'
    '[[interface]]\nname = "lan0"\naddresses = ["10.{lan}.0.1/24"]\nzone = "inside"\n'
    '[[route]]\ndestination = "0.0.0.0/0"\nvia = "192.0.2.254"\ninterface = "wan0"\n'
)


def _walled(hub: str = "", spoke: str = "") -> dict[str, str | bytes]:
    """S1 and S2 with wide selectors to S0, all with interfaces and routes; `hub` and `spoke` stand behind S0's and S1's sheets."""
    files = _net([(0, 1), (0, 2)], wide="10.0.0.0/8")
    for n, more in ((0, hub), (1, spoke), (2, "")):
        files[f"sites/s{n}.toml"] = str(files[f"sites/s{n}.toml"]) + _GATE.format(n=n + 1, lan=n) + more
    return files


def _rule(source: str, to: str, action: str, service: str = "") -> str:
    more = f', service = ["{service}"]' if service else ""
    return f'[[filter]]\nname = "spokes"\nmatch = {{ source = "{source}", destination = "{to}"{more} }}\naction = "{action}"\n'


_ONE, _TWO = "10.1.0.0/24", "10.2.0.0/24"
_REST = '[[filter]]\nmatch = {}\naction = "allow"\n'
_APART = _rule(_ONE, _TWO, "drop") + _rule(_TWO, _ONE, "drop") + _REST
_NAT = '[[translation]]\nmatch = { out_interface = "wan0", source = "10.1.0.0/24" }\naction = "masquerade"\n'


@pytest.mark.parametrize(
    ("hub", "spoke", "relation", "holds", "says"),
    [
        ("", "", _relation("s1 s2", "through", "s0"), True, "By selectors and tables S1 and S2 reach each other through S0."),
        (_APART, "", _relation("s1 s2", "through", "s0"), False, "nothing gets from 10.1.0.0/24 to 10.2.0.0/24: S0,"),
        (_rule(_TWO, _ONE, "drop") + _REST, "", _relation("s1 s2", "through", "s0"), True, "By selectors and tables"),
        (_rule(_ONE, _TWO, "allow", "tcp/443") + _APART, "", _relation("s1 s2", "through", "s0"), True, "By selectors and tables"),
        ("", _NAT, _relation("s1 s2", "through", "s0"), False, "nothing gets from 10.1.0.0/24 to 10.2.0.0/24: S1,"),
        ("", "", _relation("s1 s2", "apart"), False, "and the tables S1 and S2 reach each other: 10.1.0.0/24 to 10.2.0.0/24"),
        (_APART, "", _relation("s1 s2", "apart"), True, "hold S1 and S2, and the tables let nothing pass: S0,"),
        (_rule(_ONE, _TWO, "allow", "tcp/443") + _APART, "", _relation("s1 s2", "apart"), False, "to 10.2.0.0/24 except 10.2.0.1 tcp/443"),
        ("", _NAT, _relation("s0 s1", "direct"), False, "nothing gets from 10.1.0.0/24 to"),
        ("", "", _relation("s0 s1", "direct"), True, "s0-s1 joins S0 and S1, and the tables let it pass."),
    ],
)  # fmt: skip
def test_relations_by_what_the_tables_let_pass(
    case: Case, hub: str, spoke: str, relation: str, holds: bool, says: str
) -> None:
    (one,) = summary_of(case({**_walled(hub, spoke), "case.toml": relation})).relations
    assert says in one.text
    assert one.holds is holds


def test_pairs_beyond_the_bound_are_judged_by_selectors(case: Case, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("stomion.tunnel.relations.MOST_WALKED", 0)
    (one,) = summary_of(case({**_walled(_APART), "case.toml": _relation("s1 s2", "through", "s0")})).relations
    assert one.text.startswith("By the selectors S1 and S2 reach each other")


@pytest.mark.parametrize(
    "relation",
    ['[[relation]]\nsites = ["a"]\nwant = "apart"\n', _relation("a b", "through"), _relation("a b", "apart", "c"), _relation("a b", "near"),
     "relation = 3\n", '[[relation]]\nwant = "apart"\n', '[[relation]]\nsites = ["a", "b"]\nwant = ["apart"]\n'],
)  # fmt: skip
def test_what_is_no_relation_is_said_or_passed_over(case: Case, relation: str) -> None:
    examined = case({**_net([(0, 1)]), "case.toml": relation})
    assert examined.evidence.relations == []
    assert bool(examined.evidence.problems) is relation.startswith("[[")


def test_ranges_that_collide_get_a_free_one(case: Case) -> None:
    drawing = _drawn(case(_net([(0, 1), (0, 2)], {1: "10.7.0.0/24", 2: "10.7.0.0/24"})))
    said = next(s.text for r in drawing.rows for s in r.says if "is in use behind" in s.text)
    assert "10.7.0.0/24 is in use behind S1 and behind S2, unless the two are gateways of one LAN." in said
    assert "Free at every site: 10.7.1.0/24" in said


def test_a_hub_that_holds_its_spokes_ranges_collides_with_none(case: Case) -> None:
    drawing = _drawn(case(_net([(0, 1), (0, 2)], wide="10.0.0.0/8")))
    assert not [s for r in drawing.rows for s in r.says if "is in use behind" in s.text]


@given(
    st.integers(8, 30), st.integers(0, 2**24 - 1),
    st.lists(st.tuples(st.integers(9, 30), st.integers(0, 2**24 - 1)), max_size=8),
)  # fmt: skip
def test_a_free_range_is_free_private_and_as_large(bits: int, number: int, used: list[tuple[int, int]]) -> None:
    def text(length: int, low: int) -> str:
        at = (10 << 24) + (low & ~((1 << (32 - length)) - 1))
        return f"{at >> 24}.{at >> 16 & 255}.{at >> 8 & 255}.{at & 255}/{length}"

    like, taken = text(bits, number), [text(*row) for row in used]
    found = free_range(like, taken)
    assert found == "" if bits < 12 and not found else not common([found], [*taken, like])
    if found:
        assert covers(PRIVATE, [found]) and found.endswith(f"/{bits}")
