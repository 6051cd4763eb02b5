"""A draft names the lines of the text that its values come from: they are those lines, and nothing else changes."""

from __future__ import annotations

import json
import re
import tomllib

import pytest
from test_drafts import KEY, NAMED, SHAPES, _text

from stomion.drafts.cited import _given_by, cited
from stomion.drafts.draft import draft_of
from stomion.jobs.sheets import new_sheet
from stomion.shapes.statement import Statement

_ROW = re.compile(r"(\w+) = (.*?)(?:  # lines? ([\d, ]+))?$")


def _cited(text: str) -> str:
    draft = draft_of(text)
    return cited(new_sheet(draft.sheet), draft.things, draft.named)


def _rows(text: str) -> list[tuple[str, str, list[int]]]:
    """(key, value, lines) of every value."""
    found = (_ROW.fullmatch(line) for line in _cited(text).split("\n"))
    return [(m[1], m[2], [int(n) for n in (m[3] or "").split(", ") if n]) for m in found if m]


@pytest.mark.parametrize("shape", [*SHAPES, "braces"])
def test_lines_change_no_value(shape: str) -> None:
    plain = new_sheet(draft_of(_text(shape)).sheet)
    assert tomllib.loads(_cited(_text(shape))) == tomllib.loads(plain)
    assert KEY not in _cited(_text(shape))


def test_data_on_one_line_names_none() -> None:
    assert "# line" not in _cited(json.dumps(json.loads(_text("objects"))))


@pytest.mark.parametrize("shape", [*SHAPES, "braces"])
def test_values_stand_in_their_lines(shape: str) -> None:
    lines = _text(shape).split("\n")
    rows = _rows(_text(shape))
    assert sum(bool(at) for _, _, at in rows) >= 0.85 * len(rows)
    verbatim = 0
    for key, value, at in rows:
        if key in ("local", "peer", "local_id", "remote_id", "via") and at:
            verbatim += 1
            assert all(value.strip('"') in lines[n - 1] for n in at), (key, value, at)
    assert verbatim >= 4


def _line(start: str) -> int:
    return next(n for n, line in enumerate(_text("braces").split("\n"), 1) if line.strip().startswith(start))


def test_every_proposal_has_its_own_line() -> None:
    rows = [(value, at) for key, value, at in _rows(_text("braces")) if key in ("encryption", "group", "lifetime_s")]
    first, second = [_line("proposal ike")], [_line("proposal esp")]
    assert rows == [
        ('["AES-CBC-256"]', first), ("[14]", first), ("28800", first), ('["AES-CBC-256"]', second), ("[14]", second), ("3600", second),
    ]  # fmt: skip


def test_what_is_named_elsewhere_is_found_where_it_is_said() -> None:
    rows = {key: at for key, _, at in _rows(NAMED) if key in ("local_ts", "remote_ts", "local")}
    lines = NAMED.split("\n")
    assert [lines[n - 1].split()[1] for n in rows["local_ts"]] == ["DEPOT", "PIER"]
    assert [lines[n - 1].split()[1] for n in rows["remote_ts"]] == ["FAR"]


def test_the_version_is_where_it_is_said() -> None:
    ((_, _, at),) = (row for row in _rows(_text("braces")) if row[0] == "ike")
    assert at == [_line("exchange ikev2")]


def test_statements_without_words_give_nothing() -> None:
    text = "".join(line + "\n{ }\n" if "between" in line else line + "\n" for line in _text("braces").split("\n"))
    assert "# line" in _cited(text)
    assert list(_given_by(Statement((), 1))) == []


def test_offers_of_the_same_values_name_lines_of_their_own() -> None:
    text = _text("opened-and-closed")
    lines = text.split("\n")
    rows = [(key, at) for key, _, at in _rows(text) if key in ("encryption", "integrity", "group")]
    ciphers = [n for n, line in enumerate(lines, 1) if "Encryption" in line]
    assert [at for key, at in rows if key == "encryption"] == [[n] for n in ciphers]
    assert len({tuple(at) for _, at in rows}) == len(rows)
