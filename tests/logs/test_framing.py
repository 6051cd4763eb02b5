"""The same log in other frames: wrapped at a width, a field a line, pretty-printed JSON, records in an array."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.jobs.examine import Examined
from stomion.logs.jsonrows import is_json, rows_of
from stomion.logs.tagged import is_tagged, untagged
from stomion.logs.wrapped import Wrap, unwrapped, wrap_of
from stomion.model.event import What
from stomion.vocabulary.clean import decode_line

Case = Callable[[dict[str, str | bytes]], Examined]
AT = "2026-06-01T09:00:{:02d}Z"
TOLD: list[dict[str, str]] = [
    {"event": "session opened", "direction": "incoming", "remote": "192.0.2.44", "version": "2"},
    {"event": "suite chosen", "suite": "AES-CBC-256 HMAC-SHA2-256 dh14"},
    {"event": "remote proved", "name": "north.lantern.example"},
    {"event": "session ready"},
    {"event": "flow refused", "asked": "10.20.4.0/22 10.30.8.0/24", "allowed": "10.20.0.0/22 10.30.8.0/24"},
]
RECORDS = [{"time": AT.format(n), "gateway": "south-gw", "session": "12"} | row for n, row in enumerate(TOLD)]
LINES = [
    f"{AT.format(n)} south-gw session 12: " + ", ".join(f"{k} {v}" for k, v in row.items())
    for n, row in enumerate(TOLD)
]


def _wrapped(lines: list[str], width: int, indent: str = "") -> str:
    found = []
    for line in lines:
        found.append(line[:width])
        rest, size = line[width:], width - len(indent)
        found += [indent + rest[at : at + size] for at in range(0, len(rest), size)]
    return "\n".join(found) + "\n"


SAID = [", ".join(f"{k} {v}" for k, v in row.items()) for row in TOLD]
FANS = [("203.0.113.4", ["fan speed 40"])] * 4
BLOCKS = [*FANS, ("192.0.2.44", SAID)]


def _below(head: str, line: str) -> str:
    """Blocks of lines below a headline with a time and an address."""
    blocks = enumerate(BLOCKS)
    return "".join(
        head.format(n, who, AT.format(n)) + "".join(line.format(at, text) for at, text in enumerate(said))
        for n, (who, said) in blocks
    )


NESTED = [
    {"when": {"s": 1_780_304_400 + n, "us": 40}, "of": {"address": "192.0.2.44", "file": "to-north"}, "note": text}
    for n, text in enumerate(SAID)
]
CODES = {str(number): row["event"] for number, row in enumerate(TOLD, 40)}


def _coded(number: int, row: dict[str, str]) -> str:
    values = " ".join(f"{k} {v}" for k, v in row.items() if k != "event")
    return f"{AT.format(number)} gate {40 + number} 192.0.2.44 {values}"


def _hexadecimal(line: str) -> str:
    for decimal, other in (
        ("session 12:", "C000022C:"), ("192.0.2.44", "C000022C"), ("10.20.4.0/22", "0A140400/FFFFFC00"),
        ("10.20.0.0/22", "0A140000/22"), ("10.30.8.0/24", "0a1e0800/ffffff00"),
    ):  # fmt: skip
        line = line.replace(decimal, other)
    return line


def _since(number: int, text: str) -> str:
    return f"#7 {AT.format(0)} {text}" if not number else f"#7 +{number}.250 {text}"


TREE = "".join(
    f"+-- {who}\n" + "".join(f"|   +-- {AT.format(at)}  {text}\n" for at, text in enumerate(said))
    for who, said in BLOCKS
)
FRAMES = {
    "JSON with a kind inside": "\n".join(json.dumps({"log": {"kind": "kx", **row}}) for row in NESTED),
    "JSON that a relay passed on": "\n".join(
        f"Jun  1 09:30:{n:02d} relay fwd[77]: {json.dumps(row)}" for n, row in enumerate(NESTED)
    ),
    "elements over several lines": "<log>\n"
    + "".join(
        "  <record>\n" + "".join(f"    <{k}>{v}</{k}>\n" for k, v in row.items()) + "  </record>\n" for row in RECORDS
    )
    + "</log>\n",
    "documents with rules between": "".join(
        "---\n" + "".join(f"{k}: {v}\n" for k, v in row.items()) for row in RECORDS
    ),
    "JSON without blanks, in seconds": "\n".join(
        json.dumps({"t": 1_780_304_400.25 + n, **row}, separators=(",", ":")) for n, row in enumerate(TOLD)
    ).replace('"event"', '"session":"s-12","event"'),
    "the day after the time": "\n".join(
        line.replace(f"2026-06-01T09:00:{n:02d}Z", f"09:00:{n:02d} AM on 01 June 2026:") for n, line in enumerate(LINES)
    ),
    "a tree below the address": TREE,
    "a title and a tree": "# the book of the gate\n" + TREE,
    "the time since the attempt began": "\n".join(_since(n, text) for n, text in enumerate(SAID)),
    "a name that one line ties": f"{AT.format(0)} cousin Violet lives at 192.0.2.44\n"
    + "".join(f"{AT.format(n)} Violet: {text}\n" for n, text in enumerate(SAID)).replace(
        "remote 192.0.2.44", "remote one"
    ),
    "colons without blanks": "\n".join(line.replace("session 12: ", "").replace(" 192.", ":192.") for line in LINES),
    "networks by their count": "\n".join(
        line.replace("10.20.4.0/22", "10.20.4.0+1024").replace("10.20.0.0/22", "10.20.0.0+1024").replace("/24", "+256")
        for line in LINES
    ),
    "algorithms by their numbers": "\n".join(
        line.replace("AES-CBC-256 HMAC-SHA2-256 dh14", "encr=12/256 integ=12 ke=14") for line in LINES
    ),
    "JSON, counted": "\n".join(json.dumps({"n": n + 4, **row}) for n, row in enumerate(RECORDS)),
    "addresses in hexadecimal": "\n".join(map(_hexadecimal, LINES)),
    "codes and what they mean": "\n".join(
        [*(f"# {code} {said}" for code, said in CODES.items()), *(_coded(n, row) for n, row in enumerate(TOLD))]
    ),
    "fields alone, RFC 5424": "\n".join(
        f'<134>1 {AT.format(n)} gate keyd 77 KX [vpn@32473 session="12" '
        + " ".join(f'{k}="{v}"' for k, v in row.items())
        + "]"
        for n, row in enumerate(TOLD)
    ),
    "below headlines": _below("== session {} == {} == {} ==\n", "{1}\n"),
    "below with the time since": _below("{2} gate {1}\n", "    +{0}.250 {1}\n"),
    "JSON, nested": "\n".join(map(json.dumps, NESTED)),
    "the day in a headline": "=== 01 June 2026 === SOUTH ===\n"
    + "".join(f"09.00.{n:02d}.25 session 12, {text}\n" for n, text in enumerate(SAID)).replace(
        "incoming,", "incoming from 192.0.2.44,"
    ),
    "lines": "\n".join(LINES) + "\n",
    "a number that one line ties": f"{AT.format(0)} south-gw link 12 is to-north at 192.0.2.44\n"
    + "\n".join(LINES)
    .replace(
        "session 12: event session opened, direction incoming, remote 192.0.2.44, version 2", "[12] parcel in, major 2"
    )
    .replace("session 12:", "[12]"),
    "cut at 80": _wrapped(LINES, 80),
    "cut at 72 and indented": _wrapped(LINES, 72, "    "),
    "a field a line": "\n\n".join("\n".join(f"{k}: {v}" for k, v in row.items()) for row in RECORDS),
    "fields without empty lines": "\n".join(f"{k} ..... {v}" for row in RECORDS for k, v in row.items()),
    "JSON, indented": "\n".join(json.dumps(row, indent=2) for row in RECORDS),
    "JSON, an array": json.dumps(RECORDS, indent=2),
    "JSON, an array in an object": json.dumps({"log": RECORDS}),
    "JSON, the newest first": json.dumps(RECORDS[::-1], indent=1),
    "the address in a path": "\n".join(line.replace("session 12:", "ike.192.0.2.44.log") for line in LINES),
    "CR and LF": "\r\n".join(LINES),
}


@pytest.mark.parametrize("frame", FRAMES)
def test_a_log_says_the_same_in_every_frame(case: Case, frame: str) -> None:
    (tunnel,) = case({"south/gate.log": FRAMES[frame], "north/other.txt": "x\n"}).tunnels
    assert tunnel.first_fault is not None and tunnel.first_fault.code == "selectors-unacceptable"
    where = tunnel.first_fault.evidence[0]
    assert where.line is not None and "asked" in _near(FRAMES[frame], where.line)


HUB = [
    "session 9: IKE negotiation begun with 192.0.2.225, sent IKE proposal",
    "session 9: IKE proposal chosen AES-CBC-256 HMAC-SHA2-256 dh14",
    "session 9: peer 192.0.2.225 authenticated",
    "session 9: child SA established with 192.0.2.225, SPIs 0x5e896a65 and 0x1a826695",
]


def test_another_tunnel_that_is_understood_leaves_none_unread(case: Case) -> None:
    hub = [f"2026-06-01T08:{n:02d}:00Z south-gw {text}" for n, text in enumerate(HUB)]
    up = f"{AT.format(9)} south-gw session 12: flow ready, marks 0xc41f0a22 and 0x9be07731"
    north = f"{AT.format(0)} north-gw IKE negotiation begun with 198.51.100.71\n"
    (tunnel,) = case({"south/gate.log": "\n".join([*hub, *LINES[:-1], up]), "north/gate.log": north}).tunnels
    whats = {event.what for end in tunnel.picture.ends for event in end.events if event.peer == "192.0.2.44"}
    assert {What.ASKED, What.AGREED, What.AUTH_OK, What.CHILD_UP} <= whats and tunnel.first_fault is None


def test_what_a_record_of_several_lines_turns_away_is_judged_by_its_stage(case: Case) -> None:
    begun = "{at}  Vessel - Hailed\n      Berth:    192.0.2.44\n      Rules:    IKEv2\n"
    refused = "{at}  Vessel - Refused entry\n      Berth:    192.0.2.44\n      Why:      not on the register\n"
    fans = "".join(f"{AT.format(n)}  Fan - Turning\n      Speed:    {n}\n" for n in range(9))
    told = "".join((begun + refused).format(at=AT.format(n)) for n in range(20, 50, 10))
    (tunnel,) = case({"south/gate.log": fans + told, "north/other.txt": "x\n"}).tunnels
    assert tunnel.first_fault is not None and tunnel.first_fault.code == "no-matching-peer"


def test_hours_between_lines_of_a_log_that_runs_backwards_are_no_new_day(case: Case) -> None:
    hours = (20, 18, 11, 4, 3)
    lines = [f"{h:02d}:00:00 ike: sa established with 192.0.2.44" for h in hours]
    (log,) = case({"south/gate.log": "\n".join(lines) + "\n", "north/other.txt": "x\n"}).evidence.logs
    assert [round(e.at or 0) // 3_600 % 24 for e in log.events] == list(reversed(hours))
    assert len({round(e.at or 0) // 86_400 for e in log.events}) == 1


def _near(text: str, line: int) -> str:
    """A record is named by a line of it: by its first one, or by one that tells."""
    return "\n".join(text.splitlines()[max(0, line - 8) : line + 8])


@given(st.lists(st.text("ab c.", min_size=1, max_size=300), min_size=4, max_size=9), st.sampled_from((72, 80, 132)))
def test_lines_that_were_cut_are_whole_again(texts: list[str], width: int) -> None:
    lines = [f"{AT.format(n)} {text.strip()}z" for n, text in enumerate(texts)]
    cut = _wrapped(lines, width).splitlines()
    wrap = wrap_of(cut)
    if wrap is not None:
        assert wrap == Wrap(width, hard=True)
        assert [text for _, text in unwrapped(enumerate(cut, 1), wrap)] == lines
    assert wrap is not None or not any(len(line) > width for line in lines)


def test_long_lines_of_their_own_are_not_joined() -> None:
    lines = [f"{AT.format(n)} {'x' * 59}" for n in range(9)]
    assert wrap_of(lines) is None and wrap_of([]) is None
    assert wrap_of([f"{n:>4} {'x' * 75}" for n in range(9)]) is None, "rows of a table"


RECORD = st.dictionaries(
    st.text(max_size=9), st.one_of(st.integers(), st.text(max_size=9), st.none()), min_size=1, max_size=4
)


@given(st.lists(RECORD, min_size=1, max_size=6), st.sampled_from((None, 1, 4)))
def test_records_of_json_are_lines(records: list[dict[str, object]], indent: int | None) -> None:
    array = json.dumps(records, indent=indent)
    assert is_json(array)
    assert [json.loads(text) for _, text in rows_of(array)] == records
    numbers = [number for number, _ in rows_of(array)]
    assert numbers == sorted(numbers) and all(
        array.splitlines()[n - 1].lstrip().startswith(("{", "[{")) for n in numbers
    )


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ('[{"a": 1}, {"b": 2', 1), ('[{"a": 1}, oops, {"b": 2}]', 1), ("[" * 5_000, 0), ('{"a":' * 5_000, 0),
        ('[{"a": ' + "9" * 9_000 + "}]", 0),
    ],
)  # fmt: skip
def test_damaged_json_gives_what_comes_before(text: str, found: int) -> None:
    assert len(list(rows_of(text))) == found


def test_half_a_character_in_json_costs_nothing_else(case: Case) -> None:
    records = json.dumps([RECORDS[0] | {"note": "\ud800"}, *RECORDS[1:]], indent=1)
    assert "\\ud800" in records
    (tunnel,) = case({"south/gate.log": records}).tunnels
    assert tunnel.first_fault is not None and tunnel.first_fault.code == "selectors-unacceptable"


def test_what_stands_in_elements_is_text_and_a_tag_gives_its_attributes() -> None:
    assert (
        untagged("  <name>a &lt;b&gt;</name>") == "name: a <b>"
        and untagged('<peer at="x">1</peer>') == 'peer: 1; at="x"'
    )
    assert untagged('<record id="7"/>') == 'id="7"' and untagged("</record>") == "" and untagged("a <b> c") == "a <b> c"
    assert (
        not is_tagged(["<a>1</a>"] * 3)
        and not is_tagged(["<b/>"] * 20)
        and is_tagged(["<b>", "<a>1</a>", "<c>2</c>", "</b>"] * 4)
    )
    assert decode_line(b"    <psk>Amber7Quarry2Stone</psk>")[0].count("Amber7") == 0


def test_lines_of_json_each_whole_are_no_document() -> None:
    assert not is_json('{"a": 1}\n{"b": 2}\n') and not is_json("[iked] started\n") and not is_json("plain\n")
