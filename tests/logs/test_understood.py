"""Real lines and what each of them gives, field by field: `understood.json`, every line read by a person once.

`STOMION_LINES=write pytest -p no:xdist tests/logs/test_understood.py` writes the table anew; read the difference before it is kept.
"""

from __future__ import annotations

import json
import os
from pathlib import Path

import msgspec
import pytest

from stomion.logs import classify
from stomion.logs import understand as understanding
from stomion.logs.lexicon import IDEAS, NOTIFIES, ideas_of, notifies_of, plain
from stomion.logs.reader import read_log
from stomion.logs.understand import understand
from stomion.model.event import Event
from stomion.model.provenance import Provenance

FILE = Path(__file__).with_name("understood.json")
HERE = Provenance("x.log", "quayhead", line=1)


def fields(event: Event | None) -> dict[str, object]:
    """An event's fields that say anything."""
    if event is None:
        return {}
    plain = msgspec.to_builtins(event)
    return {k: v for k, v in plain.items() if k not in ("where", "text") and v not in (None, False, [], ())}


def _table() -> dict[str, dict[str, object]]:
    return json.loads(FILE.read_text())


def test_every_field_of_every_line() -> None:
    known = _table()
    found = {line: fields(understand(line, HERE)) for line in known}
    if os.environ.get("STOMION_LINES") == "write":
        rows = [f"{json.dumps(k, ensure_ascii=False)}: {json.dumps(v, ensure_ascii=False)}" for k, v in found.items()]
        FILE.write_text("{\n" + ",\n".join(rows) + "\n}\n")
        return
    wrong = {line: (known[line], now) for line, now in found.items() if json.loads(json.dumps(now)) != known[line]}
    assert not wrong


def test_every_rule_has_a_line_that_it_decides(monkeypatch: pytest.MonkeyPatch) -> None:
    """A rule that no line reaches is none: it stands behind another one, or speaks of what nobody writes."""
    reached: set[int] = set()

    def watched(rules: tuple[classify.Rule, ...], text: str, ideas: frozenset[str]) -> classify.Rule | None:
        found = next((r for r in rules if r.fits(text, ideas)), None)
        reached.add(id(found))
        return found

    monkeypatch.setattr(classify, "first_of", watched)
    understanding.forget()
    for line in _table():
        understand(line, HERE)
    tables = (classify.TROUBLE, classify.GOOD, classify.NEUTRAL, classify.REFUSED)
    assert [rule for table in tables for rule in table if id(rule) not in reached] == []


def test_every_idea_and_every_notify_has_its_line() -> None:
    said = [plain(line) for line in _table()]
    assert set(IDEAS) == {idea for text in said for idea in ideas_of(text)}
    assert {name for name, _ in NOTIFIES} == {name for text in said for name in notifies_of(text)}


def test_a_line_in_a_log_says_what_it_says_alone() -> None:
    """Lines around it tie a line to its peer and connection; they never change what it says."""
    known = _table()
    events = {e.where.line: e for e in read_log(enumerate(known, 1), "x", "quayhead", year=2026)}
    for number, (line, row) in enumerate(known.items(), 1):
        event = events.get(number)
        assert (event is None) is (not row), line
        if event is not None:
            assert (event.what.value, event.far) == (row["what"], row.get("far", False)), line


@pytest.mark.parametrize(
    ("one", "other", "alike"),
    [
        ("ike: 198.51.100.34 does not answer", "ike: 203.0.113.7 does not answer", True),
        ("[17] ike: 198.51.100.34 does not answer", "[4] ike: 203.0.113.7 does not answer", True),
        ("ike: <north|17> no answer", "ike: <north|4> no answer", True),
        ("ike: north{17} no answer", "ike: north{3} no answer", True),
        ("17 ike: no answer", "18 ike: no answer", False),
        ("ike: child sa c1a5c1a5 has no answer", "ike: child sa d00dd00d12 has no answer", True),
        ("ike: child sa c1a5c1a5 has no answer", "ike: child sa 12345 has no answer", False),
        ("ike: no answer after 1234 ms", "ike: no answer after 777 ms", True),
        ("ike: no answer from port 4500 yet", "ike: no answer from port 500 yet", False),
        ("ike: (17) no answer", "ike: (18) no answer", False),
    ],
)
def test_lines_that_differ_in_numbers_alone_are_read_once(one: str, other: str, alike: bool) -> None:
    understanding.forget()
    understand(one, HERE)
    understand(other, HERE)
    assert understanding.said_by.cache_info().misses == (1 if alike else 2)
