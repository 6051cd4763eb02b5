"""Negotiations from packets, and stories from logs: order, repetition, refusal, how far it got, what still stands."""

from __future__ import annotations

import pytest

import samples
from stomion.exchange.automaton import Reach
from stomion.exchange.negotiation import Negotiation, assemble
from stomion.exchange.story import read_story
from stomion.model.event import Event, What
from stomion.model.packet import Datagram
from stomion.model.provenance import Provenance
from stomion.wire.ike import Header, Message, Payload, encode
from stomion.wire.ike import bodies as b

A, B = "192.0.2.10", "198.51.100.34"
ASK, ANSWER, NO = samples.init_request(14), samples.init_answer(14), samples.refusal(14)
RETRY, RETRIED = samples.init_request(19), samples.init_answer(19)
OTHER_GROUP = samples.refusal(17, b"\0\x13")
AUTH, LONG, SHORT = samples.sealed(35, 0x08, 240), samples.sealed(35, 0x20, 180), samples.sealed(35, 0x20, 48)
CHILD = samples.sealed(36, 0x08, 240, 2)


def _v1(exchange: int, flags: int, *payloads: Payload, answered: bool = True, ident: int = 0) -> bytes:
    spi_r = samples.SPI_R if answered else b"\0" * 8
    return encode(Message(Header(samples.SPI_I, spi_r, 0, 0x10, exchange, flags, ident, 0), payloads))


MAIN_1 = samples.main_mode()
MAIN_2 = MAIN_1[:8] + samples.SPI_R + MAIN_1[16:]
MAIN_3 = _v1(2, 0, Payload(4, b.KeV1(b"k" * 256)), Payload(10, b.Opaque(b"n" * 16)))
MAIN_5 = _v1(2, 1, Payload(5, b.Sealed(b"\x5a" * 64)))
REFUSED_V1 = _v1(5, 0, Payload(11, b.Notify(1, 1, b"", 14)), answered=False, ident=7)
SEALED_INFO = _v1(5, 1, Payload(8, b.Sealed(b"\x5a" * 64)), ident=9)
QUICK = _v1(32, 1, Payload(8, b.Sealed(b"\x5a" * 320)), ident=11)
QUICK_2 = _v1(32, 1, Payload(8, b.Sealed(b"\x5b" * 320)), ident=11)
QUICK_3 = _v1(32, 1, Payload(8, b.Sealed(b"\x5c" * 60)), ident=11)

SEQUENCES: dict[str, tuple[list[tuple[str, bytes]], Reach, str, int]] = {
    "asked only": ([(A, ASK)], Reach.ASKED, "", 0),
    "asked again": ([(A, ASK), (A, ASK), (A, ASK)], Reach.ASKED, "", 2),
    "refused": ([(A, ASK), (B, NO)], Reach.INIT_REFUSED, "NO_PROPOSAL_CHOSEN", 0),
    "refusal ignored": ([(A, ASK), (B, NO), (A, ASK), (B, NO)], Reach.INIT_REFUSED, "NO_PROPOSAL_CHOSEN", 2),
    "other group, never tried": ([(A, ASK), (B, OTHER_GROUP)], Reach.ASKED, "INVALID_KE_PAYLOAD", 0),
    "other group, tried": ([(A, ASK), (B, OTHER_GROUP), (A, RETRY), (B, RETRIED)], Reach.INIT_ANSWERED, "", 0),
    "answered": ([(A, ASK), (B, ANSWER)], Reach.INIT_ANSWERED, "", 0),
    "authentication asked": ([(A, ASK), (B, ANSWER), (A, AUTH)], Reach.AUTH_ASKED, "", 0),
    "authentication refused": ([(A, ASK), (B, ANSWER), (A, AUTH), (B, SHORT)], Reach.AUTH_REFUSED, "", 0),
    "authenticated": ([(A, ASK), (B, ANSWER), (A, AUTH), (B, LONG)], Reach.AUTH_ANSWERED, "", 0),
    "child asked": ([(A, ASK), (B, ANSWER), (A, AUTH), (B, LONG), (A, CHILD)], Reach.CHILD_ASKED, "", 0),
    "main mode asked": ([(A, MAIN_1)], Reach.ASKED, "", 0),
    "main mode refused": ([(A, MAIN_1), (B, REFUSED_V1)], Reach.INIT_REFUSED, "NO_PROPOSAL_CHOSEN", 0),
    "main mode, keys exchanged": ([(A, MAIN_1), (B, MAIN_2), (A, MAIN_3)], Reach.INIT_ANSWERED, "", 0),
    "main mode, message 5 again": ([(A, MAIN_1), (B, MAIN_2), (A, MAIN_5), (A, MAIN_5)], Reach.AUTH_ASKED, "", 1),
    "main mode, told in cipher": ([(A, MAIN_1), (B, MAIN_2), (A, MAIN_5), (B, SEALED_INFO)], Reach.AUTH_REFUSED, "", 0),
    "quick mode asked twice": (
        [(A, MAIN_1), (B, MAIN_2), (A, MAIN_5), (B, MAIN_5), (A, QUICK), (B, QUICK_2), (A, QUICK)], Reach.CHILD_ANSWERED, "", 1,
    ),
    "quick mode complete": (
        [(A, MAIN_1), (B, MAIN_2), (A, MAIN_5), (B, MAIN_5), (A, QUICK), (B, QUICK_2), (A, QUICK_3)], Reach.CHILD_UP, "", 0,
    ),
    "quick mode refused": ([(A, MAIN_1), (B, MAIN_2), (A, MAIN_5), (B, MAIN_5), (A, QUICK), (B, SEALED_INFO)], Reach.CHILD_REFUSED, "", 0),
}  # fmt: skip


def _datagrams(
    steps: list[tuple[str, bytes]], file: str = "wan", site: str = "quayhead", delay: float = 0.0
) -> list[Datagram]:
    return [
        Datagram(100.0 + n + delay, src, 500, B if src == A else A, 500, raw, Provenance(file, site, packet=n + 1))
        for n, (src, raw) in enumerate(steps)
    ]


@pytest.mark.parametrize(("steps", "reach", "refusal", "again"), SEQUENCES.values(), ids=SEQUENCES.keys())
def test_how_far_it_got_and_who_ended_it(
    steps: list[tuple[str, bytes]], reach: Reach, refusal: str, again: int
) -> None:
    (found,) = assemble(_datagrams(steps))
    assert (found.reach, found.refusal, found.retransmissions) == (reach, refusal, again)
    assert (found.initiator, found.responder) == (A, B)
    if refusal:
        assert found.refused_by == B


@pytest.mark.parametrize("name", SEQUENCES)
def test_a_second_capture_adds_places_and_no_steps(name: str) -> None:
    steps = SEQUENCES[name][0]
    once = assemble(_datagrams(steps))
    (twice,) = assemble(_datagrams(steps) + _datagrams(steps, "far", "marram", 0.02))
    assert len(twice.steps) == len(once[0].steps)
    assert all(len(step.seen) == 2 for step in twice.steps)
    assert all(step.fate == "arrived" for step in twice.steps)


def test_attempts_are_told_apart_by_the_initiator_s_spi() -> None:
    steps = [(A, samples.init_request(14, spi=bytes([n]) * 8)) for n in (1, 2, 3)]
    found = assemble(_datagrams(steps))
    assert [n.spi_i[0] for n in found] == [1, 2, 3]


def test_a_negotiation_begun_before_the_capture_still_has_its_initiator() -> None:
    (found,) = assemble(_datagrams([(B, samples.sealed(37, 0x28, 40)), (A, samples.sealed(37, 0x08, 40))]))
    assert isinstance(found, Negotiation)
    assert found.initiator == B


def test_damaged_messages_are_steps_too_and_nonsense_is_none() -> None:
    (found,) = assemble(_datagrams([(A, ASK[:-9]), (A, b"short")]))
    assert len(found.steps) == 1
    assert found.steps[0].message.damage


W = What
STORIES: dict[str, tuple[list[tuple[What, str]], list[What], bool, bool]] = {
    # events as (what, layer) -> refusals that stand, IKE up, child up
    "healthy": ([(W.INITIATING, "ike"), (W.IKE_UP, "ike"), (W.CHILD_UP, "child")], [], True, True),
    "refused": ([(W.INITIATING, "ike"), (W.IKE_PROPOSAL_REFUSED, "ike")], [W.IKE_PROPOSAL_REFUSED], False, False),
    "history": ([(W.KEY_REFUSED, ""), (W.INITIATING, "ike"), (W.IKE_UP, "ike"), (W.CHILD_UP, "child")], [], True, True),
    "an IKE SA alone mends no child": (
        [(W.SELECTORS_REFUSED, "child"), (W.IKE_UP, "ike")],
        [W.SELECTORS_REFUSED],
        True,
        False,
    ),
    "up, then refused": ([(W.IKE_UP, "ike"), (W.CHILD_UP, "child"), (W.KEY_REFUSED, "")], [W.KEY_REFUSED], True, True),
    "established is no proof": (
        [(W.IKE_UP, "ike"), (W.CHILD_UP, "child"), (W.AUTH_REFUSED, "")],
        [W.AUTH_REFUSED],
        True,
        True,
    ),
    "a bare refusal before the IKE SA": (
        [(W.INITIATING, "ike"), (W.PROPOSAL_REFUSED, "")],
        [W.IKE_PROPOSAL_REFUSED],
        False,
        False,
    ),
    "a bare refusal after it": ([(W.IKE_UP, "ike"), (W.PROPOSAL_REFUSED, "")], [W.CHILD_PROPOSAL_REFUSED], True, False),
    "no configuration, before anything": ([(W.ASKED, "ike"), (W.NO_PEER, "")], [W.NO_PEER], False, False),
    "closed child": ([(W.IKE_UP, "ike"), (W.CHILD_UP, "child"), (W.CHILD_DOWN, "child")], [], True, False),
    "garbage on an SA that is up": ([(W.IKE_UP, "ike"), (W.UNDECRYPTABLE, "")], [], True, False),
    "garbage before it": ([(W.INITIATING, "ike"), (W.UNDECRYPTABLE, "")], [W.UNDECRYPTABLE], False, False),
}


@pytest.mark.parametrize(("events", "standing", "ike", "child"), STORIES.values(), ids=STORIES.keys())
def test_what_stands_in_the_end(events: list[tuple[What, str]], standing: list[What], ike: bool, child: bool) -> None:
    story = read_story(
        Event(what, Provenance("x", line=n), "", layer=layer or None) for n, (what, layer) in enumerate(events, 1)
    )
    assert [r.what for r in story.standing] == standing
    assert (story.ike_up is not None, story.child_up is not None) == (ike, child)


def test_a_child_told_twice_is_one_and_a_rekeyed_one_is_another() -> None:
    def up(line: int, *spis: str) -> Event:
        return Event(What.CHILD_UP, Provenance("x", line=line), "", spis=spis, conn="hq")

    story = read_story([up(1, "a", "b"), up(2, "b", "a"), up(3), up(4, "c", "d")])
    assert len(story.children) == 2


def test_an_identity_is_what_is_unknown_once_the_proposal_was_agreed() -> None:
    from stomion.model.proposal import Proposal

    agreed = Event(What.AGREED, Provenance("x", line=2), "", mine=Proposal("IKE", group=("14",)))
    story = read_story(
        [Event(What.ASKED, Provenance("x", line=1), ""), agreed, Event(What.NO_PEER, Provenance("x", line=3), "")]
    )
    assert [r.what for r in story.standing] == [What.IDENTITY_REFUSED]
