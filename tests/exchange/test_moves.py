"""The table of moves and what surrounds it: each condition that a message's reading rests on, with the near miss beside it."""

from __future__ import annotations

from dataclasses import replace

import pytest
from test_negotiation import ANSWER, ASK, AUTH, CHILD, LONG, A, B, _datagrams

import samples
from stomion.exchange import automaton
from stomion.exchange.automaton import MOVES, TABLE, Effect, Reach, Sign, Way
from stomion.exchange.clock import clock_from_logs, clock_offset, clock_words
from stomion.exchange.negotiation import LONE_NOTIFY_BYTES, Delivery, Negotiation, Post, assemble
from stomion.exchange.story import read_story
from stomion.model.event import Event, What
from stomion.model.packet import Datagram
from stomion.model.proposal import Proposal
from stomion.model.provenance import Provenance
from stomion.wire.ike import Header, Message, Payload, encode
from stomion.wire.ike import bodies as b
from stomion.wire.ike.numbers import ExchangeV1, ExchangeV2, PayloadV2

BEFORE = [(A, ASK), (B, ANSWER), (A, AUTH)]


def _one(steps: list[tuple[str, bytes]], **more: object) -> Negotiation:
    (found,) = assemble(_datagrams(steps), **more)  # type: ignore[arg-type]
    return found


def _fragment(number: int, size: int) -> bytes:
    body = b.SealedFragment(number, 2, b"\x5a" * size)
    return encode(
        Message(Header(samples.SPI_I, samples.SPI_R, 0, 0x20, 35, 0x20, 1, 0), (Payload(PayloadV2.SKF, body),))
    )


def test_every_combination_has_one_row_and_a_second_one_is_refused(monkeypatch: pytest.MonkeyPatch) -> None:
    assert len(TABLE) == sum(len(m.states) for m in MOVES)
    assert TABLE[2, ExchangeV2.IKE_SA_INIT, Way.ANSWER, Sign.ERROR, Reach.ASKED].effect is Effect.REFUSE
    assert TABLE[1, ExchangeV1.MAIN_MODE, Way.ANSWER, Sign.CHOICE, Reach.ASKED].to is Reach.INIT_ANSWERED
    assert (2, ExchangeV2.INFORMATIONAL, Way.ANSWER, Sign.SEALED, Reach.ASKED) not in TABLE
    monkeypatch.setattr(automaton, "MOVES", (*MOVES, replace(MOVES[0])))
    with pytest.raises(ValueError, match="two rows"):
        automaton._table()


@pytest.mark.parametrize(("at_least", "before", "after"), [
    (True, Reach.ASKED, Reach.AUTH_ASKED), (True, Reach.CHILD_ASKED, Reach.CHILD_ASKED), (False, Reach.CHILD_ASKED, Reach.AUTH_ASKED),
])  # fmt: skip
def test_a_move_takes_a_state_on_or_sets_it(at_least: bool, before: Reach, after: Reach) -> None:
    move = replace(MOVES[0], to=Reach.AUTH_ASKED, at_least=at_least)
    assert move.after(before) is after and replace(move, to=None).after(before) is before


@pytest.mark.parametrize(
    ("size", "reach"),
    [(16, Reach.AUTH_REFUSED), (80, Reach.AUTH_REFUSED), (81, Reach.AUTH_ANSWERED), (200, Reach.AUTH_ANSWERED)],
)
def test_an_answer_with_room_for_one_notify_alone_is_a_refusal(size: int, reach: Reach) -> None:
    assert LONE_NOTIFY_BYTES == 80
    found = _one([*BEFORE, (B, samples.sealed(35, 0x20, size))])
    assert found.reach is reach and (found.refusal_step == 3) == (reach is Reach.AUTH_REFUSED)


def test_a_further_fragment_is_judged_with_the_first_one() -> None:
    """The last piece of a long answer is as small as a refusal, and is none."""
    found = _one([*BEFORE, (B, _fragment(1, 900)), (B, _fragment(2, 20))])
    assert found.reach is Reach.AUTH_ANSWERED and found.refusal_step == -1
    assert [s.fragment for s in found.steps[3:]] == ["1 of 2", "2 of 2"]


def test_the_same_bytes_twice_in_one_capture_are_sent_twice_and_in_two_captures_seen_twice() -> None:
    twice = _one([(A, ASK), (A, ASK)])
    assert [(len(s.seen), s.again) for s in twice.steps] == [(1, 0), (1, 1)] and twice.retransmissions == 1
    both = assemble([*_datagrams([(A, ASK)]), *_datagrams([(A, ASK)], "far", "marram", 0.02)])
    (step,) = both[0].steps
    assert len(step.seen) == 2 and step.again == 0 and step.fate is Delivery.ARRIVED


POSTS = (Post("quayhead", frozenset({A}), True), Post("marram", frozenset({B}), True))


@pytest.mark.parametrize(("posts", "site", "fate"), [
    (POSTS, "quayhead", Delivery.LOST), (POSTS, "marram", Delivery.ARRIVED), (POSTS[:1], "quayhead", Delivery.UNKNOWN),
    ((POSTS[0], replace(POSTS[1], watched=False)), "quayhead", Delivery.UNKNOWN), ((), "quayhead", Delivery.UNKNOWN),
])  # fmt: skip
def test_a_message_is_lost_where_the_watched_end_has_it_not(posts: tuple[Post, ...], site: str, fate: Delivery) -> None:
    (found,) = assemble(_datagrams([(A, ASK)], site=site), (), posts)
    assert found.steps[0].fate is fate


def test_the_sender_s_capture_stands_first_whatever_the_clocks_say() -> None:
    early = _datagrams([(A, ASK)], "far", "marram", -5.0)
    (found,) = assemble([*_datagrams([(A, ASK)]), *early], (), POSTS)
    assert [place.site for _, place in found.steps[0].seen] == ["quayhead", "marram"]
    assert found.steps[0].where.site == "quayhead"


def test_what_was_offered_and_chosen_and_by_whom() -> None:
    found = _one([(A, samples.init_request(14, 19)), (B, samples.init_answer(19)), (A, AUTH), (B, LONG), (A, CHILD)])
    assert (found.initiator, found.responder, found.version) == (A, B, 2)
    assert (found.offered[0].group, found.chosen[0].group, found.offered_group) == (("14", "19"), ("19",), 14)
    assert (found.spi_i, found.spi_r) == (samples.SPI_I, samples.SPI_R)
    assert (found.start, found.end) == (100.0, 104.0)
    wanted = _one([(A, ASK), (B, samples.refusal(17, b"\0\x13"))])
    assert (wanted.wanted_group, wanted.refusal, wanted.refused_by, wanted.refusal_step) == (
        19,
        "INVALID_KE_PAYLOAD",
        B,
        1,
    )
    accepted = _one([(A, ASK), (B, samples.refusal(14)), (A, samples.init_request(19)), (B, samples.init_answer(19))])
    assert (accepted.refusal, accepted.refused_by, accepted.refusal_step) == ("", "", -1)


def test_from_the_middle_the_responder_s_answer_names_the_initiator() -> None:
    (found,) = assemble(_datagrams([(B, samples.sealed(37, 0x20, 60))]))
    assert (found.initiator, found.responder) == (A, B)


def _pair(sent: float, arrived: float, forth: bool, spi: int) -> list[Datagram]:
    raw = samples.init_request(14, spi=bytes([spi]) * 8)
    src, dst = (A, B) if forth else (B, A)
    sites = ("l", "r") if forth else ("r", "l")
    return [
        Datagram(at, src, 500, dst, 500, raw, Provenance(site, site, packet=spi))
        for at, site in zip((sent, arrived), sites, strict=True)
    ]


def _offset(*pairs: tuple[float, float, bool]) -> tuple[float, float, int, bool] | None:
    posts = (Post("l", frozenset({A}), True), Post("r", frozenset({B}), True))
    items = [d for n, pair in enumerate(pairs, 1) for d in _pair(*pair, n)]
    found = clock_offset(assemble(items, (), posts), "l", "r")
    return (
        None
        if found is None
        else (round(found.right_ahead, 6), round(found.uncertainty, 6), found.samples, found.both_ways)
    )


@pytest.mark.parametrize(("pairs", "offset"), [
    ([(100, 105.1, True), (200, 195.3, False)], (4.9, 0.2, 2, True)),
    ([(100, 105.1, True), (110, 119, True), (200, 195.3, False), (210, 209, False)], (4.9, 0.2, 4, True)),
    ([(100, 105.1, True), (110, 119, True)], (5.1, 5.1, 2, False)),
    ([(200, 195.3, False), (210, 209, False)], (4.7, 4.7, 2, False)),
    ([], None),
])  # fmt: skip
def test_the_fastest_message_each_way_bounds_the_offset(pairs: list[tuple[float, float, bool]], offset: object) -> None:
    assert _offset(*pairs) == offset


def _event(at: float | None, what: What, layer: str | None = None, **more: object) -> Event:
    return Event(what, Provenance("x", line=1), "", at, layer=layer, **more)  # type: ignore[arg-type]


def test_logs_bound_it_where_every_attempt_is_found_at_both_ends() -> None:
    left = [_event(100.25, What.INITIATING), _event(100.75, What.IKE_UP)]
    right = [_event(105.5, What.ASKED), _event(105.5, What.IKE_UP)]
    found = clock_from_logs(left, right)
    assert found is not None and found.both_ways and found.samples == 2
    assert round(found.right_ahead, 3) == 5.0 and round(found.uncertainty, 3) == 0.25
    swapped = clock_from_logs(right, left)
    assert swapped is not None and round(swapped.right_ahead, 3) == -5.0
    assert (
        clock_from_logs(left, right[:1]) is None and clock_from_logs(left, [*right, _event(106.5, What.ASKED)]) is None
    )
    assert clock_from_logs(left, [_event(105.5, What.ASKED), _event(103.0, What.IKE_UP)]) is not None
    assert clock_from_logs([*left, _event(101.5, What.INITIATING, "child")], right) is not None
    whole = clock_from_logs([_event(100.0, What.INITIATING), _event(101.0, What.IKE_UP)], right)
    assert whole is not None and whole.uncertainty > 1.0


@pytest.mark.parametrize(("pairs", "words"), [
    ([(100, 105.1, True), (200, 195.3, False)], "R's clock is 4.9 s ± 200 ms ahead of L's"),
    ([(100, 95.1, True), (200, 205.3, False)], "L's clock is 5.1 s ± 200 ms ahead of R's"),
    ([(100, 100.2, True), (200, 200.2, False)], "the clocks of L and R agree within 200 ms"),
    ([(100, 400.2, True)], "the clocks of L and R differ by no more than about 5.0 min, as messages one way tell"),
])  # fmt: skip
def test_an_offset_in_words(pairs: list[tuple[float, float, bool]], words: str) -> None:
    posts = (Post("l", frozenset({A}), True), Post("r", frozenset({B}), True))
    items = [d for n, pair in enumerate(pairs, 1) for d in _pair(*pair, n)]
    found = clock_offset(assemble(items, (), posts), "l", "r")
    assert found is not None and clock_words(found, "L", "R") == words


GONE = What.DELETED_BY_PEER


def _up(sa: str | None = None) -> Event:
    return _event(1, What.IKE_UP, sa=sa)


def _child_up(*spis: str) -> Event:
    return _event(2, What.CHILD_UP, spis=spis)


def test_a_story_keeps_what_stands_and_what_was() -> None:
    story = read_story([_up("1"), _event(2, What.CHILD_UP, sa="1", spis=("a", "b")), _event(3, GONE, "ike", sa="1")])
    assert story.ike_up is None and story.child_up is None and story.ike_ever is not None
    assert [(up.what, gone.at) for up, gone in story.deleted] == [(What.CHILD_UP, 3)]
    other = read_story([_up("1"), _event(3, GONE, "ike", sa="2")])
    assert other.ike_up is not None and not other.deleted
    child = read_story([_up("1"), _child_up("a", "b"), _event(3, GONE, spis=("c",))])
    assert child.child_up is not None
    assert read_story([_up("1"), _child_up("a", "b"), _event(3, What.CHILD_DOWN, spis=("b",))]).child_up is None
    assert read_story([_up("1"), _child_up("a", "b"), _event(3, What.CHILD_DOWN)]).child_up is None


def test_one_common_spi_is_another_child() -> None:
    assert len(read_story([_child_up("a", "b"), _child_up("b", "a")]).children) == 1
    assert len(read_story([_child_up("a", "b"), _child_up("b", "c")]).children) == 2


def test_a_peer_that_was_lost_and_came_again_is_an_outage() -> None:
    story = read_story(
        [_up(), _child_up("a", "b"), _event(5, What.PEER_LOST), _event(9, What.CHILD_UP, spis=("c", "d"))]
    )
    assert [(lost.at, back.at) for lost, back in story.outages] == [(5, 9)] and not story.lost
    first = read_story([_event(5, What.PEER_LOST), _up()])
    assert not first.outages


def test_silence_ends_with_an_answer() -> None:
    asked = [_event(1, What.INITIATING), _event(2, What.RESENT), _event(3, What.RESENT)]
    assert len(read_story(asked).silence) == 2
    assert not read_story([*asked, _event(4, What.RECEIVED, request=False)]).silence
    assert len(read_story([*asked, _event(4, What.RECEIVED, request=True)]).silence) == 2
    assert not read_story([*asked, _event(4, What.AUTH_REFUSED, far=True)]).silence


@pytest.mark.parametrize(("events", "standing"), [
    ([_event(1, What.PROPOSAL_REFUSED)], [What.IKE_PROPOSAL_REFUSED]),
    ([_up(), _event(2, What.PROPOSAL_REFUSED)], [What.CHILD_PROPOSAL_REFUSED]),
    ([_up(), _event(2, What.IKE_PROPOSAL_REFUSED)], [What.CHILD_PROPOSAL_REFUSED]),
    ([_up(), _event(2, What.IKE_PROPOSAL_REFUSED, exchange="IKE_SA_INIT")], [What.IKE_PROPOSAL_REFUSED]),
    ([_up(), _event(2, What.UNDECRYPTABLE)], []), ([_up(), _event(2, What.UNDECRYPTABLE, far=True)], [What.UNDECRYPTABLE]),
    ([_event(1, What.KEY_REFUSED), _up()], []), ([_event(1, What.SELECTORS_REFUSED), _up()], [What.SELECTORS_REFUSED]),
    ([_event(1, What.SELECTORS_REFUSED), _child_up("a", "b")], []),
    ([_up(), _event(2, What.INITIATING), _event(3, What.PROPOSAL_REFUSED)], [What.IKE_PROPOSAL_REFUSED]),
    ([_up(), _event(2, What.INITIATING, "child"), _event(3, What.PROPOSAL_REFUSED)], [What.CHILD_PROPOSAL_REFUSED]),
])  # fmt: skip
def test_a_bare_refusal_is_that_of_the_sa_that_is_missing(events: list[Event], standing: list[What]) -> None:
    assert [r.what for r in read_story(events).standing] == standing


def test_the_last_word_on_version_and_mode_stays() -> None:
    story = read_story(
        [_event(1, What.INITIATING, version=1, mode="main"), _event(2, What.SENT), _event(3, What.SENT, version=2)]
    )
    assert (story.version, story.mode) == (2, "main")


def test_what_counts_as_the_peer_s_answer() -> None:
    assert read_story([_event(1, What.RECEIVED, request=True)]).answered is not None
    assert read_story([_event(1, What.AUTH_REFUSED, far=True)]).answered is not None
    assert read_story([_event(1, What.NO_ANSWER, far=True)]).answered is None
    assert (
        read_story([_event(1, What.AUTH_REFUSED)]).answered is None
        and read_story([_event(1, What.SENT)]).answered is None
    )


def test_who_began() -> None:
    story = read_story(
        [_event(1, What.ASKED), _event(2, What.INITIATING), _event(3, What.REKEY), _event(4, What.REKEY)]
    )
    assert [e.at for e in story.asked] == [1] and [e.at for e in story.initiated] == [2] and story.rekeyed == 2


@pytest.mark.parametrize(("event", "ike", "child"), [
    (_event(9, What.INITIATING), False, True), (_event(9, What.INITIATING, "child"), True, True),
    (_event(9, What.IKE_DOWN, sa="1"), False, False),
    (_event(9, What.IKE_DOWN, sa="2"), False, True), (_event(9, GONE, "ike", sa="1"), False, False),
    (_event(9, GONE, "ike", sa="2"), True, False),
    (_event(9, GONE, "child", sa="1"), True, False), (_event(9, GONE, "child", sa="1", spis=("x",)), True, True),
    (_event(9, What.CHILD_DOWN, spis=("b",)), True, False), (_event(9, What.CHILD_DOWN, spis=("x",)), True, True),
])  # fmt: skip
def test_what_an_end_leaves_standing(event: Event, ike: bool, child: bool) -> None:
    story = read_story([_up("1"), _event(2, What.CHILD_UP, sa="1", spis=("a", "b")), event])
    assert (story.ike_up is not None, story.child_up is not None) == (ike, child)
    assert story.ike_ever is not None and story.child_ever is not None


def test_a_delete_is_told_of_the_sa_it_names() -> None:
    both = [_up("1"), _event(2, What.CHILD_UP, sa="1", spis=("a", "b"))]
    assert [up.what for up, _ in read_story([*both, _event(3, GONE, sa="1")]).deleted] == [What.CHILD_UP]
    assert [up.what for up, _ in read_story([_up("1"), _event(3, GONE, sa="1")]).deleted] == [What.IKE_UP]
    assert (
        not read_story([*both, _event(3, GONE, sa="9")]).deleted and not read_story([_event(3, GONE, sa="1")]).deleted
    )


def test_only_an_agreed_ike_proposal_with_a_group_tells_the_identity_from_the_address() -> None:
    whole = Proposal("IKE", ("AES-CBC-256",), group=("14",))
    for event, agreed in (
        (_event(1, What.AGREED, mine=whole), True), (_event(1, What.AGREED, "child", mine=whole), False), (_event(1, What.AGREED), False),
        (_event(1, What.AGREED, mine=Proposal("IKE", ("AES-CBC-256",))), False),
    ):  # fmt: skip
        story = read_story([event, _event(2, What.NO_PEER)])
        assert (story.ike_agreed is not None, story.agreed_now) == (agreed, agreed)
        assert [r.what for r in story.standing] == [What.IDENTITY_REFUSED if agreed else What.NO_PEER]
    again = read_story([_event(1, What.AGREED, mine=whole), _event(2, What.INITIATING), _event(3, What.NO_PEER)])
    assert [r.what for r in again.standing] == [What.NO_PEER]


def test_a_refusal_remembers_what_stood_before_it() -> None:
    story = read_story(
        [
            _event(1, What.KEY_REFUSED),
            _up("1"),
            _event(3, What.SELECTORS_REFUSED),
            _child_up("a", "b"),
            _event(5, What.PFS_REFUSED),
        ]
    )
    assert [(r.what, r.ike_was_up, r.child_was_up) for r in (*story.history, *story.standing)] == [
        (What.KEY_REFUSED, False, False), (What.SELECTORS_REFUSED, True, False), (What.PFS_REFUSED, True, True),
    ]  # fmt: skip
