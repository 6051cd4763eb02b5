"""Agreement of proposals: its laws, and the ways to bring it about."""

from __future__ import annotations

from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.crypto.agreement import agree, nearest_miss, ways, would_choose
from stomion.crypto.proposals import settled
from stomion.crypto.strength import Level, level_of, rank
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
