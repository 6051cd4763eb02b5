"""A whole log: how the lines before one tell its time, its peer and its connection."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from stomion.logs.reader import read_log
from stomion.logs.timestamps import find_stamp
from stomion.model.event import Event

MARRAM, SALTERN = "198.51.100.34", "203.0.113.7"


def _read(*lines: str, year: int = 2026) -> list[Event]:
    return list(read_log(enumerate(lines, 1), "gw.log", "quayhead", year=year))


def _at(event: Event) -> str:
    return datetime.fromtimestamp(event.at, UTC).isoformat() if event.at is not None else ""


@pytest.mark.parametrize(
    ("lines", "ties"),
    [
        # by the writer's own number of the negotiation, and by the connection that number was tied to
        ((f"<north|3> initiating ike sa to {MARRAM}", "<3> no proposal chosen"), [(MARRAM, "north"), (MARRAM, "north")]),
        ((f"<3> initiating ike sa to {MARRAM}", "<3> no proposal chosen"), [(MARRAM, None), (MARRAM, None)]),
        # by the connection's name, also under another number
        ((f"<north|3> initiating ike sa to {MARRAM}", "<north|4> no proposal chosen"), [(MARRAM, "north")] * 2),
        # a number never seen belongs to nobody, whoever was spoken of last
        ((f"<3> initiating ike sa to {MARRAM}", "<5> no proposal chosen"), [(MARRAM, None), (None, None)]),
        ((f'conn="north" initiating ike sa to {MARRAM}', 'conn="south" no proposal chosen'), [(MARRAM, "north"), (None, "south")]),
        # a line without number or name speaks of the peer spoken of last
        ((f"initiating ike sa to {MARRAM}", "no proposal chosen"), [(MARRAM, None)] * 2),
        ((f"initiating ike sa to {MARRAM}", f"ike: initiating ike sa to {SALTERN}", "no proposal chosen"),
         [(MARRAM, None), (SALTERN, None), (SALTERN, None)]),
        (("no proposal chosen",), [(None, None)]),
        # by the identity that one line named together with an address
        ((f"ike: identity gw.marram.example of {MARRAM} not accepted", f"<9> initiating ike sa to {SALTERN}",
          "<7> ike: identity gw.marram.example not accepted"), [(MARRAM, None), (SALTERN, None), (MARRAM, None)]),
        # two identities in one line tell nothing of either
        ((f"ike: identity a.marram.example or b.marram.example of {MARRAM} not accepted",
          "<7> ike: identity a.marram.example not accepted"), [(MARRAM, None), (None, None)]),
        # a connection keeps its first peer
        ((f"<north|3> initiating ike sa to {MARRAM}", f"<north|4> initiating ike sa to {SALTERN}", "<north|5> no proposal chosen"),
         [(MARRAM, "north"), (SALTERN, "north"), (MARRAM, "north")]),
        # the peer learned by number is the number's for the lines after it, also where the connection comes later
        (("<3> no proposal chosen", f"<3> initiating ike sa to {MARRAM}", "<north|3> no proposal chosen", "<3> no proposal chosen"),
         [(None, None), (MARRAM, None), (MARRAM, "north"), (MARRAM, "north")]),
    ],
)  # fmt: skip
def test_a_line_is_tied_to_its_peer(lines: tuple[str, ...], ties: list[tuple[str | None, str | None]]) -> None:
    assert [(e.peer, e.conn) for e in _read(*lines)] == ties


@pytest.mark.parametrize(
    ("line", "peer", "own"),
    [
        (f"ike sa 192.0.2.10[500]-{MARRAM}[500] established", MARRAM, "192.0.2.10"),
        (f"ike sa {MARRAM}[500]-192.0.2.10[500] established", MARRAM, None),
        ("ike sa with 192.0.2.10 established", None, "192.0.2.10"),
    ],
)
def test_known_addresses_tell_own_from_peer(line: str, peer: str | None, own: str | None) -> None:
    (event,) = read_log([(1, line)], "gw.log", "quayhead", year=2026, own={"192.0.2.10"})
    assert (event.peer, event.own) == (peer, own)


def test_a_time_without_a_date_is_of_the_day_last_named() -> None:
    up = f"ike sa with {MARRAM} established"
    found = _read(
        f"10:00:01Z {up}",
        f"2026-05-04T10:00:02Z {up}",
        f"10:00:03Z {up}",
        f"1777999999 {up}",
        f"10:00:04Z {up}",
        year=2025,
    )
    assert [_at(e) for e in found] == [
        "2025-01-01T10:00:01+00:00",
        "2026-05-04T10:00:02+00:00",
        "2026-05-04T10:00:03+00:00",
        "2026-05-05T16:53:19+00:00",
        "2026-05-05T10:00:04+00:00",
    ]
    assert [e.assumed for e in found] == [("day",), (), ("day",), (), ("day",)]


def test_what_follows_the_time_is_the_line() -> None:
    """A stamp at the beginning is no part of the words; one further in stays where it is, and counts as well."""
    early, late = _read(
        f"2026-05-04 10:00:02 UTC ike sa with {MARRAM} established",
        f"ike sa with {MARRAM} established by gateway at 2026-05-04 10:00:03 UTC",
    )
    assert (_at(early), _at(late)) == ("2026-05-04T10:00:02+00:00", "2026-05-04T10:00:03+00:00")
    assert early.text.startswith("2026-05-04") and late.what is early.what


def test_a_log_without_times_is_looked_at_for_one_now_and_then() -> None:
    """After forty lines without a time only every sixteenth is looked at; one found there brings the search back."""
    bare = f"ike sa with {MARRAM} established"
    timed = f"2026-05-04 10:00:02 UTC {bare}"
    for silent in (39, 40):
        assert [bool(e.at) for e in _read(*[bare] * silent, timed, timed)[silent:]] == [silent < 40, silent < 40]
    found = [bool(e.at) for e in _read(*[bare] * 40, *[timed] * 12)[40:]]
    assert found == [False] * 7 + [True] * 5


@pytest.mark.parametrize(
    ("line", "at", "assumed"),
    [
        ("1777886047.5 up", "2026-05-04T09:14:07.500000", ()),
        ("1777886047250 up", "2026-05-04T09:14:07.250000", ()),
        ("1777886047000250 up", "2026-05-04T09:14:07.000250", ()),
        ("May 4 09:14:07 up", "2024-05-04T09:14:07", ("year", "zone")),
        ("May 04 2026 09:14:07.125 UTC", "2026-05-04T09:14:07.125000", ()),
        ("13/05/2026 09:14:07Z", "2026-05-13T09:14:07", ()),
        ("05/13/2026 09:14:07Z", "2026-05-13T09:14:07", ()),
        ("12/05/2026 09:14:07Z", "2026-05-12T09:14:07", ()),
        ("2026-05-04 12:00:00 AM Z", "2026-05-04T00:00:00", ()),
        ("2026-05-04 1:00:00 pm", "2026-05-04T13:00:00", ("zone",)),
        ("09:14:07Z up", "2025-02-03T09:14:07", ("day",)),
        ("2026-05-04T09:14:07-0330 up", "2026-05-04T12:44:07", ()),
        ("2026-05-04T09:14:07+23:59 up", "2026-05-03T09:15:07", ()),
        ("2026-05-04T09:14:07+24:00 up", "2026-05-04T09:14:07", ("zone",)),
        ("2026-02-30 09:14:07 up", "2025-02-03T09:14:07", ("day", "zone")),
        ("2026-05-04 09:14:60Z up", "2026-05-04T09:14:59", ()),
        ("up at 25:14:07", None, ()),
        ("09.14.07.5 up", None, ()),
        ("09.14.07.50 up", "2025-02-03T09:14:07.500000", ("day", "zone")),
        ("04.05.2026 09.14.07 up", "2026-05-04T09:14:07", ("zone",)),
        ("2026-05-04 10.20.30.40 up", None, ()),
        ("x" * 119 + " 1777886047 up", None, ()),
        ("x" * 100 + " 1777886047 up", "2026-05-04T09:14:07", ()),
    ],
)  # fmt: skip
def test_each_part_of_a_stamp(line: str, at: str | None, assumed: tuple[str, ...]) -> None:
    stamp = find_stamp(line, year=2024, day=(2025, 2, 3))
    if at is None:
        assert stamp is None
        return
    assert stamp is not None
    moment = datetime.fromisoformat(at).replace(tzinfo=UTC).timestamp()
    assert (round(stamp.at, 6), stamp.assumed) == (round(moment, 6), assumed)
