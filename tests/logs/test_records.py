"""Logs whose records are several lines: told by their shape, judged by their last words."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.logs.blocks import joined, shape_of
from stomion.logs.facing import facing_proposals
from stomion.logs.phrasebook import phrase
from stomion.logs.reader import read_log
from stomion.logs.timestamps import find_stamp
from stomion.logs.verdict import verdict_of
from stomion.model.event import Event, What

QUIET = "".join(
    f"0204{n}.1 04MAY26 09:0{n}:10 LAMP_TESTED {n}\n0204{n}.2 DEGREES 4{n}\n0204{n}.3 VERDICT NORMAL\n"
    for n in range(5)
)
NUMBERED = QUIET + (
    "02050.1 04MAY26 09:14:10 CALL_TAKEN FROM 198.51.100.34 PORT 500\n02050.2 STAGE_ONE GENERATION_2\n{}\n02050.9 VERDICT {}\n"
)
BODIES = "".join(
    f"== {n} == 2026/124 09:0{n}:10.50 UTC == slot 0{n} == EVENT == Board temperature\n      Degrees .......... 4{n}\n"
    for n in range(6)
)
INDENTED = BODIES + (
    "== 99 == 2026/124 09:14:10.50 UTC == slot 07 == MINOR == Tunnel set-up released\n      Far end .......... 198.51.100.34\n"
    "      Released by ...... {}\n      Release cause {} .. {}\n"
)


def _last(text: str) -> Event | None:
    lines = list(enumerate(text.splitlines(), 1))
    shape = shape_of([line for _, line in lines])
    assert shape
    events = list(read_log(joined(lines, shape), "quayhead/log", "quayhead", year=2026))
    return events[-1] if events else None


@pytest.mark.parametrize(
    ("body", "verdict", "what"),
    [
        ("02050.3 SUITE_HEARD AES_256 SHA_256 GROUP_14\n02050.4 SUITE_ALLOWED AES_256 SHA_256 GROUP_20", "REFUSED_HERE SUITE_NOT_ALLOWED",
         What.IKE_PROPOSAL_REFUSED),
        ("02050.3 SUITE_AGREED AES_256 SHA_256 GROUP_14\n02050.4 NAME_HEARD a.example", "REFUSED_HERE WRONG_NAME", What.IDENTITY_REFUSED),
        ("02050.3 LINK q ALLOWS GENERATION_1", "REFUSED_HERE WRONG_GENERATION", What.VERSION_REFUSED),
        ("02050.3 SUITE_AGREED AES_256 SHA_256 GROUP_14", "ESTABLISHED", What.IKE_UP),
        ("02050.3 STAGE_TWO", "ESTABLISHED", What.CHILD_UP),
        ("02050.3 SUITE_AGREED AES_256 SHA_256 GROUP_14", "REFUSED_HERE PURPLE_LAMP", None),
    ],
)  # fmt: skip
def test_the_last_line_of_a_record_judges_it(body: str, verdict: str, what: What | None) -> None:
    event = _last(NUMBERED.format(body, verdict))
    if what is None:
        assert event is None
        return
    assert event is not None
    assert (event.what, event.peer, event.at) == (what, "198.51.100.34", 1777886050.0)


@pytest.mark.parametrize(
    ("by", "way", "number", "what", "far"),
    [
        ("far end", "received", "14", What.PROPOSAL_REFUSED, True), ("near end", "sent", "14", What.PROPOSAL_REFUSED, False),
        ("far end", "received", "0x0026", What.SELECTORS_REFUSED, True), ("far end", "received", "24", What.AUTH_REFUSED, True),
        ("far end", "received", "5", What.VERSION_REFUSED, True),
    ],
)  # fmt: skip
def test_a_number_alone_is_a_notify_where_a_verdict_stands(
    by: str, way: str, number: str, what: What, far: bool
) -> None:
    event = _last(INDENTED.format(by, way, number))
    assert event is not None
    assert (event.what, event.far, event.peer, event.at) == (what, far, "198.51.100.34", 1777886050.5)


def test_both_sides_of_a_record_are_its_values() -> None:
    body = "02050.3 SUITE_HEARD AES_256 SHA_256 GROUP_14\n02050.4 SUITE_ALLOWED AES_256 SHA_256 GROUP_20"
    event = _last(NUMBERED.format(body, "REFUSED_HERE SUITE_NOT_ALLOWED"))
    assert event is not None and event.mine is not None and event.theirs is not None
    assert (event.theirs.values("group"), event.mine.values("group")) == (("14",), ("20",))
    assert (event.where.line, event.far, event.bare) == (20, False, False)


def test_a_taught_wording_decides_the_record_that_it_stands_in() -> None:
    text = NUMBERED.format("02050.3 SUITE_AGREED AES_256 SHA_256 GROUP_14", "REFUSED_HERE PURPLE_LAMP")
    lines = list(enumerate(text.splitlines(), 1))
    records = list(joined(lines, shape_of([line for _, line in lines])))
    lamp = phrase("REFUSED_HERE PURPLE_LAMP", "key refused")
    (event,) = read_log(records, "quayhead/log", "quayhead", year=2026, phrases=(lamp,))
    assert (event.what, event.far, event.peer, event.at) == (What.KEY_REFUSED, False, "198.51.100.34", 1777886050.0)
    assert "PURPLE_LAMP" in event.text


@pytest.mark.parametrize(
    "text",
    [
        "2026-05-04T09:14:00Z ike no proposal chosen by peer 192.0.2.1\n" * 20,
        "2026-05-04T09:14:00Z ike\n  with a tail of words\n" * 3,
        "1.5 x\n2.5 y\n3.5 z\n" * 10,
        "",
    ],
)
def test_logs_of_single_lines_stay_so(text: str) -> None:
    assert shape_of(text.split("\n")) == ""


@pytest.mark.parametrize(
    ("line", "at"),
    [
        ("04MAY26 09:14:10 X", 1777886050),
        ("04MAY2026 09:14:10 X", 1777886050),
        ("2026/124 09:14:10 UTC", 1777886050),
        ("2026/400 09:14:10", None),
        ("2026-124T09:14:10 X", 1777886050),
        ("260504.091410.000000 {7} X", 1777886050),
        ("260504-091410 X", 1777886050),
        ("269904-091410 X", None),
        ("04/05/26 09:14:10 X", 1777886050),
        ("26-05-04 09:14:10 X", 1777886050),
        ("04.05.26 09:14:10 X", 1777886050),
        ("192.0.2.26 09:14:10 X", None),
        ("May04 09:14:10 X", 1777886050),
        ("04 May 09:14:10 X", 1777886050),
        ("Mon 04 May 26 09:14:10 X", 1777886050),
        ("04MAY2026 091410Z X", 1777886050),
        ("040914Z MAY 26 X", 1777886040),
        ("2026-05-04 09h14m10 X", 1777886050),
        ("260504091410;110;X", 1777886050),
        ("260504091410250;110;X", 1777886050.25),
        ("260504091410250000 X", 1777886050.25),
        ("20260504091410250 X", 1777886050.25),
        ("269904091410 X", None),
        ("05-04 09:14:10 X", 1777886050),
        ("2026-05-04T11:14:10+02 X", 1777886050),
        ("2026-05-04 09:14:10 -10.0.0.1 X", 1777886050),
    ],
)
def test_times_with_two_digits_of_a_year_and_days_of_a_year(line: str, at: float | None) -> None:
    stamp = find_stamp(line, year=2026)
    assert (stamp.at if stamp is not None and "day" not in stamp.assumed else None) == at


@pytest.mark.parametrize(
    ("line", "up"), [("0d03:12:33.5 X", 11553.5), ("up 3d 04:12:33 X", 274353), ("[2 days, 00:00:01] X", 172801)]
)
def test_days_since_the_start(line: str, up: float) -> None:
    stamp = find_stamp(line, year=2026)
    assert stamp is not None
    assert (stamp.at, stamp.assumed) == (up, ("epoch",))


@given(st.lists(st.text(alphabet=st.sampled_from("0123.; VERDICT_refused\t="), max_size=30), max_size=20))
def test_no_line_is_lost_in_a_record(lines: list[str]) -> None:
    rows = list(enumerate(lines, 1))
    for shape in ("numbered", "indented"):
        records = list(joined(rows, shape))
        assert sum(record.count("\n") + 1 for _, record in records) == sum(bool(line.strip()) for line in lines)
        for _, record in records:
            verdict_of(record.split("\n"))


FACING = """\
== 17 == 2026/127 10:44:15.72 UTC == sfw01 KEY == MINOR == Child set-up released
      Far end .................... 203.0.113.59
      Released by ................ near end
      Ground ..................... no proposal common to both tables
      Table of far end
         row   item        method           bits
         1     cipher      AES-CBC          256
         1     digest      HMAC-SHA2-256    -
         1     key group   MODP             2048
      Table of near end
         row   item        method           bits
         1     cipher      AES-CBC          256
         1     digest      HMAC-SHA2-256    -
         1     key group   {group}
"""


@pytest.mark.parametrize(
    ("group", "mine"),
    [
        ("not used         -", "AES-CBC-256 · HMAC-SHA2-256-128"),
        ("MODP             3072", "AES-CBC-256 · HMAC-SHA2-256-128 · group 15"),
    ],
)
def test_two_tables_of_one_record_are_set_against_each_other(group: str, mine: str) -> None:
    lines = FACING.format(group=group).strip().splitlines()
    sides = facing_proposals(lines, "ESP")
    assert sides is not None
    assert [str(side) for side in sides] == [mine, "AES-CBC-256 · HMAC-SHA2-256-128 · group 14"]
    assert facing_proposals(lines[:9], "ESP") is None
    assert facing_proposals([line for line in lines if "Table" not in line], "ESP") is None


@pytest.mark.parametrize("head", ["[event {}]", "--- Record {} ---", "# no. {}"])
def test_a_head_that_counts_the_records_parts_them(head: str) -> None:
    records = [
        f"{head.format(40 + n)}\nwhen = 04-05-2026 09:14:0{n}\nsubject = key exchange\nparty = 198.51.100.71\noutcome = {what}\n"
        for n, what in enumerate(("opened by us", "repeated", "repeated", "abandoned"))
    ]
    lines = list(enumerate("\n".join(records).split("\n"), 1))
    shape = shape_of([line for _, line in lines])
    assert shape == "fields"
    told = [text for _, text in joined(lines, shape)]
    assert (
        told[0] == "when = 04-05-2026 09:14:00; subject = key exchange; party = 198.51.100.71; outcome = opened by us"
    )
    assert len(told) == len(records)


def test_a_name_that_came_in_place_of_another_is_what_was_refused() -> None:
    line = "2026-05-04 09:14:07 negotiation refused; 192.0.2.44; AUTHENTICATION; GOT gw.brook.example; WANT north.lantern.example"
    (event,) = read_log([(1, line)], "log", "north", year=2026)
    assert event.what is What.IDENTITY_REFUSED
    (event,) = read_log([(1, line.replace("gw.brook", "north.lantern"))], "log", "north", year=2026)
    assert event.what is What.AUTH_REFUSED


def test_a_suite_that_is_settled_is_no_sa_that_stands_and_a_service_that_is_up_is_none() -> None:
    verdict = verdict_of(["thing: session", "what: suite-settled", "suite: AES-CBC-256/HMAC-SHA2-256/dh14"])
    assert verdict is not None and verdict.what is What.AGREED
    verdict = verdict_of(["south-gw >> Mon 01 Jun 2026 09:00:00 UTC", "Key service up, peers 192.0.2.44"])
    assert verdict is not None and verdict.what is What.STARTED
