"""Laws of the arithmetic on proposals and address ranges."""

from __future__ import annotations

import ipaddress

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.crypto.agreement import agree, nearest_miss
from stomion.crypto.proposals import disagreements, settled, shared
from stomion.crypto.strength import strongest
from stomion.model.proposal import Proposal
from stomion.space.ranges import common, covers, missing, same, spans, written

values = st.lists(
    st.sampled_from(["AES-CBC-128", "AES-CBC-256", "AES-GCM-16-256", "3DES"]), min_size=1, max_size=3, unique=True
)
groups = st.lists(st.sampled_from(["2", "14", "19", "20"]), min_size=1, max_size=3, unique=True)
hashes = st.lists(st.sampled_from(["HMAC-SHA1-96", "HMAC-SHA2-256-128"]), min_size=1, max_size=2, unique=True)
proposals = st.builds(lambda e, i, g: Proposal("IKE", tuple(e), tuple(i), (), tuple(g)), values, hashes, groups)
some = st.lists(proposals, min_size=1, max_size=3)
prefix = st.builds(
    lambda n, size: str(ipaddress.ip_network((n << 8, size), strict=False)),
    st.integers(0xA6000, 0xA60FF),
    st.integers(20, 32),
)
prefixes = st.lists(prefix, max_size=5)


@given(proposals, proposals)
def test_disagreement_is_symmetric_and_nothing_disagrees_with_itself(a: Proposal, b: Proposal) -> None:
    assert disagreements(a, b) == disagreements(b, a)
    assert disagreements(a, a) == ()


@given(some, some)
def test_agreement_is_symmetric_up_to_order_and_excludes_a_miss(a: list[Proposal], b: list[Proposal]) -> None:
    assert (agree(a, b) is None) == (agree(b, a) is None)
    assert (agree(a, b) is None) == (nearest_miss(a, b) is not None)


@given(some, some, proposals)
def test_adding_a_proposal_never_removes_an_agree(a: list[Proposal], b: list[Proposal], more: Proposal) -> None:
    if agree(a, b):
        assert agree([*a, more], b)
        assert agree(a, [more, *b])


@given(some, some)
def test_the_nearest_miss_is_really_the_nearest(a: list[Proposal], b: list[Proposal]) -> None:
    miss = nearest_miss(a, b)
    if miss is not None:
        assert len(miss.kinds) == min(len(disagreements(x, y)) for x in a for y in b)
        assert len(miss.kinds) > 0


@given(groups)
def test_the_strongest_is_one_of_the_values_and_never_a_weak_one_if_there_is_another(found: list[str]) -> None:
    best = strongest("group", found)
    assert best in found
    assert best != "2" or found == ["2"]


def test_integrity_is_not_asked_for_with_an_aead() -> None:
    gcm = Proposal("ESP", ("AES-GCM-16-256",), ())
    assert disagreements(gcm, Proposal("ESP", ("AES-GCM-16-256",), ("HMAC-SHA1-96",))) == ()
    assert disagreements(gcm, Proposal("ESP", ("AES-CBC-256",), ("HMAC-SHA1-96",))) == ("encryption",)


def _addresses(found: list[str]) -> set[int]:
    return {n for low, high in spans(found) for n in range(low, high + 1)}


@given(prefixes, prefixes)
def test_ranges_behave_like_sets_of_addresses(a: list[str], b: list[str]) -> None:
    left, right = _addresses(a), _addresses(b)
    assert _addresses(list(written(common(a, b)))) == left & right
    assert _addresses(list(written(missing(a, b)))) == left - right
    assert covers(a, b) == (right <= left)
    assert same(a, b) == (left == right)


@given(prefixes)
def test_the_fewest_prefixes_say_the_same(a: list[str]) -> None:
    text = written(spans(a))
    assert same(text, a)
    assert len(text) == len(list(ipaddress.collapse_addresses(ipaddress.ip_network(x) for x in a)))


def test_families_do_not_mix_and_nonsense_is_nothing() -> None:
    assert common(["10.0.0.0/8"], ["2001:db8::/32"]) == []
    assert written(missing(["2001:db8::/32"], ["2001:db8::/33"])) == ("2001:db8:8000::/33",)
    assert spans(["no address", "10.0.0.9-10.0.0.1", "10.0.0.1-10.0.0.2"]) == [(0x0A000001, 0x0A000002)]


E, H, A = ("AES-CBC-256", "AES-CBC-128"), ("HMAC-SHA2-256-128",), ("AES-GCM-16-256",)


@pytest.mark.parametrize(("offer", "accept", "expected"), [
    (Proposal("ESP", E, H), Proposal("", E[::-1], H), Proposal("ESP", E[:1], H)),
    (Proposal("", E[1:], H), Proposal("IKE", E, H), Proposal("IKE", E[1:], H)),
    (Proposal("IKE", A, H, ("P",)), Proposal("IKE", A, H), Proposal("IKE", A, (), ("P",))),
    (Proposal("IKE", E, H, (), ("14", "19")), Proposal("IKE", E, H, ("P", "Q"), ("19", "14"), ("yes",), ("psk", "sig")),
     Proposal("IKE", E[:1], H, ("P",), ("14",), ("yes",), ("psk",))),
    (Proposal("IKE", E, (), (), ("14",), ("no", "yes"), ("psk",)), Proposal("IKE", E, H, (), ("14",), ("yes",), ("psk",)),
     Proposal("IKE", E[:1], H, (), ("14",), ("yes",), ("psk",))),
])  # fmt: skip
def test_what_two_proposals_come_to(offer: Proposal, accept: Proposal, expected: Proposal) -> None:
    assert settled(offer, accept) == expected


@pytest.mark.parametrize(("a", "b", "version", "kinds"), [
    (Proposal("IKE", A, H), Proposal("IKE", A, ("HMAC-SHA1-96",)), 2, ()),
    (Proposal("IKE", A), Proposal("IKE", E, H), 2, ("encryption",)),
    (Proposal("IKE", E, H, ("P",)), Proposal("IKE", E, ("HMAC-SHA1-96",), ("Q",)), 2, ("integrity",)),
    (Proposal("IKE", A, (), ("P",)), Proposal("IKE", A, (), ("Q",)), 2, ("prf",)),
    (Proposal("IKE", E, authentication=("psk",)), Proposal("IKE", E, authentication=("sig",)), 1, ("authentication",)),
    (Proposal("IKE", E, authentication=("psk",)), Proposal("IKE", E, authentication=("sig",)), 2, ()),
    (Proposal("ESP", E, group=("1", "2"), esn=("no",)), Proposal("ESP", E, group=("14", "19"), esn=("yes",)), 2, ("group", "esn")),
])  # fmt: skip
def test_kinds_without_a_common_value(a: Proposal, b: Proposal, version: int, kinds: tuple[str, ...]) -> None:
    assert disagreements(a, b, version) == disagreements(b, a, version) == kinds


def test_a_cipher_without_its_length_meets_any_length() -> None:
    assert shared(("AES-CBC", "3DES"), ("AES-CBC-128",)) == ("AES-CBC",) and shared(("AES-CBC-128",), ("AES-CBC",)) == (
        "AES-CBC-128",
    )
    assert shared(("AES-CBC",), ("AES-CBCX",)) == () and shared(("1",), ("14",)) == () and shared(("14",), ("1",)) == ()
