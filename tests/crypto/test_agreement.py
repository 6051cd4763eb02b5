"""Agreement of proposals: its laws, and the ways to bring it about."""

from __future__ import annotations

from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.crypto.agreement import agree, nearest_miss, ways, would_choose
from stomion.crypto.proposals import settled
from stomion.crypto.strength import Level, level_of, rank, strongest, weak_values
from stomion.model.proposal import Proposal

CIPHERS = ["AES-CBC-256", "AES-CBC-128", "3DES"]
HASHES = ["HMAC-SHA2-256-128", "HMAC-SHA2-512-256", "HMAC-SHA1-96"]
GROUPS = ["14", "19", "20", "2"]


def _some(values: list[str]) -> st.SearchStrategy[tuple[str, ...]]:
    return st.lists(st.sampled_from(values), min_size=1, max_size=3, unique=True).map(tuple)


PROPOSAL = st.builds(
    lambda e, i, g: Proposal("IKE", e, i, tuple(h.rsplit("-", 1)[0] for h in i), g), _some(CIPHERS), _some(HASHES), _some(GROUPS)
)  # fmt: skip
LISTS = st.lists(PROPOSAL, min_size=1, max_size=3)


@given(LISTS, LISTS, st.sampled_from([1, 2]))
def test_agreement_is_symmetric_up_to_order(a: list[Proposal], b: list[Proposal], version: int) -> None:
    assert (would_choose(a, b, version) is None) == (would_choose(b, a, version) is None)


@given(LISTS, LISTS, PROPOSAL, st.sampled_from([1, 2]))
def test_adding_a_proposal_never_ends_an_agreement(
    a: list[Proposal], b: list[Proposal], more: Proposal, version: int
) -> None:
    if would_choose(a, b, version) is not None:
        assert would_choose([*a, more], b, version) is not None
        assert would_choose(a, [more, *b], version) is not None


@given(LISTS, LISTS)
def test_what_is_chosen_was_offered_and_is_accepted(a: list[Proposal], b: list[Proposal]) -> None:
    chosen = would_choose(a, b)
    if chosen is not None:
        for kind in ("encryption", "integrity", "group"):
            (value,) = chosen.values(kind)
            assert any(value in p.values(kind) for p in a) and any(value in p.values(kind) for p in b)


@given(LISTS, LISTS)
def test_every_way_leads_to_agreement(a: list[Proposal], b: list[Proposal]) -> None:
    found = ways(a, b)
    assert bool(found) == (would_choose(a, b) is None)
    for way in found:
        adds = dict(way.adds)
        before = a if way.side == 0 else b
        after = [
            Proposal("IKE", *(p.values(k) + ((adds[k],) if k in adds else ()) for k in ("encryption", "integrity")),
                     p.prf + tuple(h.rsplit("-", 1)[0] for h in [adds.get("integrity", "")] if h),
                     p.group + ((adds["group"],) if "group" in adds else ()))
            for p in before
        ]  # fmt: skip
        assert would_choose(after, b) if way.side == 0 else would_choose(a, after)
    assert [len(w.adds) for w in found] == sorted(len(w.adds) for w in found)


def _tuples(p: Proposal) -> list[Proposal]:
    """A proposal's lists multiplied out, as IKEv1 sends them."""
    kinds = [k for k in ("encryption", "integrity", "prf", "group", "authentication") if p.values(k)]
    return [
        Proposal(p.protocol, **{k: (v,) for k, v in zip(kinds, values, strict=True)})
        for values in product(*(p.values(k) for k in kinds))
    ]


@given(LISTS, LISTS)
def test_version_1_agrees_exactly_where_a_whole_tuple_is_shared(a: list[Proposal], b: list[Proposal]) -> None:
    """Said once more with every tuple written out: the same answer, and the same choice."""
    pairs = [(t, u) for p in a for q in b for t in _tuples(p) for u in _tuples(q)]
    held = [
        settled(t, u)
        for t, u in pairs
        if all(set(t.values(k)) & set(u.values(k)) for k in ("encryption", "integrity", "prf", "group"))
    ]
    assert (would_choose(a, b, 1) is not None) == bool(held)
    if held:
        assert would_choose(a, b, 1) in held


def test_version_1_compares_the_authentication_method_too() -> None:
    ours, theirs = (Proposal("IKE", ("3DES",), group=("14",), authentication=(m,)) for m in ("PSK", "RSA signatures"))
    assert would_choose([ours], [theirs], 1) is None and would_choose([ours], [theirs], 2) is not None
    miss = nearest_miss([ours], [theirs], 1)
    assert miss is not None and miss.kinds == ("authentication",)


@given(LISTS, LISTS, st.sampled_from([1, 2]))
def test_every_question_about_agreement_has_one_answer(a: list[Proposal], b: list[Proposal], version: int) -> None:
    agreed = agree(a, b, version) is not None
    assert agreed is (would_choose(a, b, version) is not None)
    assert agreed is (nearest_miss(a, b, version) is None) is not bool(ways(a, b, version))


@pytest.mark.parametrize(
    ("ours", "theirs", "first"),
    [
        (
            Proposal("IKE", ("AES-CBC-256",), HASHES[:1], (), ("14",)),
            Proposal("IKE", ("AES-CBC-256",), HASHES[:1], (), ("20", "19")), (0, "add group 20"),
        ),
        (Proposal("ESP", ("AES-GCM-16-256",)), Proposal("ESP", ("AES-CBC-128",), HASHES[:1]), (1, "add AES-GCM-16-256")),
        (Proposal("ESP", ("3DES",), HASHES[:1]), Proposal("ESP", ("AES-CBC-256",), HASHES[:1]), (0, "add AES-CBC-256")),
    ],
)  # fmt: skip
def test_the_least_and_strongest_change_comes_first(ours: Proposal, theirs: Proposal, first: tuple[int, str]) -> None:
    way = ways([ours], [theirs])[0]
    assert (way.side, way.words()) == first


def test_sequence_numbers_must_agree_where_both_name_them() -> None:
    a, b = Proposal("ESP", ("AES-GCM-16-256",), esn=("yes",)), Proposal("ESP", ("AES-GCM-16-256",), esn=("no",))
    assert would_choose([a], [b]) is None and agree([a], [b]) is None
    miss = nearest_miss([a], [b])
    assert miss is not None and miss.kinds == ("esn",)
    assert [(w.side, w.words()) for w in ways([a], [b])] == [
        (0, "add extended sequence numbers: no"), (1, "add extended sequence numbers: yes")
    ]  # fmt: skip
    assert would_choose([a], [Proposal("ESP", ("AES-GCM-16-256",))]) is not None


def test_one_value_of_each_kind_is_settled_on_in_the_order_of_the_offer() -> None:
    """RFC 7296 2.7: the initiator's order counts; integrity beside an AEAD cipher is not negotiated."""
    offer = Proposal(
        "IKE", ("AES-CBC-256", "AES-CBC-128"), ("HMAC-SHA2-512-256", "HMAC-SHA2-256-128"), (), ("20", "19", "14")
    )
    accept = Proposal(
        "IKE", ("AES-CBC-128", "AES-CBC-256"), ("HMAC-SHA2-256-128", "HMAC-SHA2-512-256"), (), ("14", "19")
    )
    chosen = would_choose([offer], [accept])
    assert chosen == Proposal("IKE", ("AES-CBC-256",), ("HMAC-SHA2-512-256",), (), ("19",))
    beside = [Proposal("ESP", ("AES-GCM-16-256",), (h,)) for h in ("HMAC-SHA1-96", "HMAC-SHA2-256-128")]
    found = would_choose(beside[:1], beside[1:])
    assert found is not None and found.integrity == ()


def test_a_prf_follows_its_hash_and_is_one_difference_with_it() -> None:
    a, b = (Proposal("IKE", ("AES-CBC-256",), (f"{h}-x",), (h,)) for h in ("HMAC-SHA2-256", "HMAC-SHA2-512"))
    miss = nearest_miss([a], [b])
    assert miss is not None and miss.kinds == ("integrity",)


def test_the_strength_table_ranks_fit_values_before_weak_ones() -> None:
    assert level_of("group", "2")[0] is Level.WEAK and "RFC 8247" in level_of("group", "2")[1]
    assert rank("encryption", "AES-GCM-16-256") < rank("encryption", "unheard-of") < rank("encryption", "3DES")


def _p(encryption: str = "", integrity: str = "", group: str = "", **more: tuple[str, ...]) -> Proposal:
    words = {"encryption": encryption, "integrity": integrity, "group": group}
    return Proposal("IKE", **{k: tuple(v.split()) for k, v in words.items()}, **more)


@pytest.mark.parametrize(("offers", "accepts", "expected"), [
    ([_p("AES-CBC-256", group="20")], [_p("AES-CBC-256", group="14")],
     [(1, "add group 20", Level.FAIR), (0, "add group 14", Level.GOOD)]),
    ([_p("AES-CBC-256", group="2")], [_p("AES-CBC-256", group="21")],
     [(0, "add group 21", Level.FAIR), (1, "add group 2", Level.WEAK)]),
    ([_p("AES-GCM-16-256", group="19")], [_p("AES-CBC-256", "HMAC-SHA2-256-128", "19")],
     [(1, "add AES-GCM-16-256", Level.GOOD), (0, "add AES-CBC-256 and HMAC-SHA2-256-128", Level.GOOD)]),
    ([_p("3DES", group="2 5")], [_p("AES-CBC-256", group="14 19")],
     [(0, "add AES-CBC-256 and group 19", Level.GOOD), (1, "add 3DES and group 5", Level.WEAK)]),
    ([_p("AES-CBC-128"), _p("3DES")], [_p("AES-CBC-256")],
     [(0, "add AES-CBC-256", Level.GOOD), (1, "add AES-CBC-128", Level.GOOD), (1, "add 3DES", Level.WEAK)]),
])  # fmt: skip
def test_the_ways_and_their_order(offers: list[Proposal], accepts: list[Proposal], expected: list[object]) -> None:
    assert [(w.side, w.words(), w.level) for w in ways(offers, accepts)] == expected
    assert ways(offers, accepts, limit=1) == ways(offers, accepts)[:1]


def test_an_esn_that_differs_is_named_in_the_way() -> None:
    offer, accept = _p("AES-GCM-16-256", esn=("yes",)), _p("AES-GCM-16-256", esn=("no",))
    assert {(w.side, w.words()) for w in ways([offer], [accept])} == {
        (0, "add extended sequence numbers: no"), (1, "add extended sequence numbers: yes"),
    }  # fmt: skip


def test_the_nearest_miss_is_the_pair_with_the_fewest_kinds() -> None:
    far, near = _p("3DES", "HMAC-MD5-96", "1"), _p("AES-CBC-256", "HMAC-MD5-96", "14")
    wanted = _p("AES-CBC-256", "HMAC-SHA2-256-128", "14")
    found = nearest_miss([far, near], [wanted])
    assert found is not None and (found.offered, found.accepted, found.kinds) == (near, wanted, ("integrity",))
    assert (
        nearest_miss([], [wanted]) is None and nearest_miss([near], []) is None and nearest_miss([near], [near]) is None
    )


@pytest.mark.parametrize(("proposal", "layer", "expected"), [
    (_p("3DES AES-CBC-256 DES", "HMAC-SHA1-96", "2 14"), "IKE", ["3DES", "DES", "group 2"]),
    (_p("AES-CBC-256", "HMAC-MD5-96 HMAC-SHA1-96", "3 4"), "IKE", ["HMAC-MD5-96", "group 3", "group 4"]),
    (_p("NULL", group="1 5"), "ESP", ["NULL", "PFS group 1", "PFS group 5"]),
    (_p("AES-GCM-16-256", group="19"), "ESP", []), (_p("CAMELLIA-CBC-256", prf=("HMAC-MD5",)), "IKE", []),
])  # fmt: skip
def test_weak_values_in_words(proposal: Proposal, layer: str, expected: list[str]) -> None:
    assert weak_values(proposal, layer) == expected


def test_levels_and_ranks() -> None:
    assert level_of("group", "14") == (Level.GOOD, "RFC 8247 2.4: MUST (2048-bit MODP)")
    assert level_of("group", "99") == level_of("colour", "14") == (Level.FAIR, "no guidance known")
    order = ["AES-GCM-16-256", "AES-CBC-192", "CAMELLIA-CBC-256", "3DES", "NULL"]
    assert [rank("encryption", v) for v in order] == sorted({rank("encryption", v) for v in order})
    assert strongest("encryption", order[1:]) == "AES-CBC-192" and strongest("group", ()) is None
