"""Which refusal leads, what voids it, whether a tunnel is up, and what counters and tests at one end say."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.diagnosis.stages import stage_verdicts
from stomion.exchange.story import read_story
from stomion.jobs.examine import Examined
from stomion.model.event import Event, What
from stomion.model.finding import Stage, Verdict
from stomion.model.provenance import Provenance
from stomion.tunnel.cause import leading_cause
from stomion.tunnel.picture import End, LanTest, Picture
from stomion.tunnel.up import proven_at, up_of

X = Provenance("x", line=1)


def _event(what: What, at: float | None = 10, far: bool = False, **more: object) -> Event:
    return Event(what, X, "", at, far, **more)  # type: ignore[arg-type]


def _picture(
    left: list[Event], right: list[Event] | None = None, tests: list[LanTest] | None = None, **more: object
) -> Picture:
    ends = [
        End(site, events=tuple(events), story=read_story(events), has_log=True)
        for site, events in (("a", left), ("b", right or []))
    ]
    return Picture("a-b", ends[0], ends[1], tests=tuple(tests or ()), **more)  # type: ignore[arg-type]


def _test(
    from_left: bool, passed: bool = True, at: float | None = 20, who: str = "host", expected: bool = True
) -> LanTest:
    return LanTest(from_left, passed, expected, at, X, "icmp", who=who, to="x")


KEY, AUTH, UNREADABLE, NO_PEER = What.KEY_REFUSED, What.AUTH_REFUSED, What.UNDECRYPTABLE, What.NO_PEER
PROPOSAL, SELECTORS, CHILD = What.IKE_PROPOSAL_REFUSED, What.SELECTORS_REFUSED, What.CHILD_PROPOSAL_REFUSED


@pytest.mark.parametrize(("left", "right", "lead", "by", "heard"), [
    ([(KEY, False)], [(AUTH, True)], KEY, "a", False),
    ([(AUTH, True)], [], AUTH, "b", True),
    ([(AUTH, False)], [(KEY, True)], KEY, "a", True),
    ([(AUTH, False)], [(SELECTORS, True)], AUTH, "a", False),
    ([(UNREADABLE, False)], [(KEY, True)], KEY, "a", True),
    ([(UNREADABLE, False)], [(AUTH, True)], UNREADABLE, "a", False),
    ([(UNREADABLE, False)], [(UNREADABLE, True)], UNREADABLE, "a", False),
    ([(PROPOSAL, False)], [(NO_PEER, False)], NO_PEER, "b", False),
    ([(SELECTORS, False)], [(UNREADABLE, False)], UNREADABLE, "b", False),
    ([(CHILD, False)], [(SELECTORS, False)], SELECTORS, "b", False),
])  # fmt: skip
def test_the_refusal_that_leads(
    left: list[tuple[What, bool]], right: list[tuple[What, bool]], lead: What, by: str, heard: bool
) -> None:
    cause = leading_cause(_picture([_event(w, far=f) for w, f in left], [_event(w, far=f) for w, f in right]))
    assert cause is not None and (cause.what, cause.by.site, cause.heard) == (lead, by, heard)
    assert len(cause.all) == len(left) + len(right)


@pytest.mark.parametrize(("tests", "void"), [
    ([_test(True), _test(False)], True), ([_test(True), _test(True)], False), ([_test(True), _test(False, passed=False)], False),
    ([_test(True, at=5), _test(False)], False), ([_test(True, at=None), _test(False, at=None)], False), ([], False),
    ([_test(True), _test(False), _test(True, passed=False, expected=False)], True), ([_test(True), _test(False, expected=False)], False),
    ([_test(True, at=10), _test(False)], False),
])  # fmt: skip
def test_only_traffic_both_ways_after_a_refusal_makes_it_void(tests: list[LanTest], void: bool) -> None:
    assert (leading_cause(_picture([_event(KEY)], tests=tests)) is None) is void
    assert leading_cause(_picture([_event(KEY, at=None)], tests=tests)) is not None


UP, CHILD_UP = _event(What.IKE_UP, 5), _event(What.CHILD_UP, 6, spis=("a", "b"))


@pytest.mark.parametrize(("events", "esp", "now", "ever", "since", "proven"), [
    ([], (0, 0), False, False, None, False), ([UP], (0, 0), False, True, None, False), ([UP, CHILD_UP], (0, 0), True, True, 6, False),
    ([], (3, 0), False, True, None, False), ([], (3, 4), True, True, None, True),
    ([UP, CHILD_UP, _event(What.CHILD_DOWN, 7)], (0, 0), False, True, None, False),
])  # fmt: skip
def test_up_now_and_ever(
    events: list[Event], esp: tuple[int, int], now: bool, ever: bool, since: float | None, proven: bool
) -> None:
    picture = _picture(events, esp_out=esp[0], esp_back=esp[1])
    up = up_of(picture)
    assert (up.now, up.ever, up.since, proven_at(picture, picture.left)) == (now, ever, since, proven)


def test_the_latest_child_and_the_first_sign_count_of_both_ends() -> None:
    late = _event(What.CHILD_UP, 9, spis=("c", "d"))
    up = up_of(_picture([UP, CHILD_UP], [_event(What.IKE_UP, 4), late]))
    assert up.since == 9 and up.logged is not None and up.logged.at == 4


@pytest.mark.parametrize(("tests", "verdict", "words"), [
    ([_test(True, passed=False, who="a")], Verdict.UNSEEN, "1 test, 0 answered"),
    ([_test(True, who="a")], Verdict.PASS, "1 test, 1 answered"),
    ([_test(True), _test(True, passed=False, who="a")], Verdict.PASS, "2 tests, 1 answered"),
    ([_test(True, passed=False), _test(True)], Verdict.PASS, "2 tests, 1 answered"),
    ([_test(True), _test(True, passed=False)], Verdict.CAUTION, "2 tests, 1 answered"),
    ([_test(True, expected=False)], Verdict.CAUTION, "1 test, 1 answered"),
    ([_test(False)], Verdict.PASS, ""), ([], Verdict.UNSEEN, "no evidence"),
])  # fmt: skip
def test_the_last_test_of_a_flow_counts_and_a_gateway_s_own_unanswered_one_does_not(
    tests: list[LanTest], verdict: Verdict, words: str
) -> None:
    picture = _picture([], tests=tests)
    stage = next(s for s in stage_verdicts(picture, None) if s.stage is Stage.TRAFFIC)
    assert (stage.left, stage.says[0]) == (verdict, words)


LINE = '{{"kind":"counters","at":"2026-05-04T09:{m}:00Z","site":"{site}","tunnel":"{t}",'
LINE += '"spi_out":"{spi}","packets_out":{o},"packets_in":{i}}}\n'


def test_counters_are_the_highest_reading_of_every_sa_of_this_tunnel_at_this_end(
    case: Callable[[dict[str, str | bytes]], Examined],
) -> None:
    sheet = (
        'site = "north"\n[[tunnel]]\nname = "t"\npeer_site = "south"\nlocal = "192.0.2.10"\npeer = "198.51.100.34"\n'
    )
    rows = [("north", "t", "aaaaaaaa", 9, 1), ("north", "t", "aaaaaaaa", 7, 3), ("north", "t", "bbbbbbbb", 2, 2),
            ("north", "other", "cccccccc", 50, 50), ("south", "t", "dddddddd", 4, 0)]  # fmt: skip
    lines = "".join(LINE.format(m=10 + n, site=s, t=t, spi=spi, o=o, i=i) for n, (s, t, spi, o, i) in enumerate(rows))
    (tunnel,) = case({"sites/north.toml": sheet, "path/c.jsonl": lines}).tunnels
    ends = {e.site: (e.has_counters, e.out_packets, e.in_packets) for e in tunnel.picture.ends}
    assert ends == {"north": (True, 11, 5), "south": (True, 4, 0)}


@pytest.mark.parametrize(
    ("text", "up", "leads"),
    [
        ("the flume is opened wide", True, False),
        ("the flume is opened wide", False, True),
        ("the flume is turned away", True, True),
    ],
)
def test_a_guess_from_a_line_that_turns_nothing_away_gives_way_to_a_child_that_stands(
    text: str, up: bool, leads: bool
) -> None:
    guess = Event(PROPOSAL, X, text, 10, guessed=True)
    cause = leading_cause(_picture([guess], [_event(What.CHILD_UP, 9, spis=("c41f0a22", "9be07731"))] if up else []))
    assert (cause is not None) is leads
