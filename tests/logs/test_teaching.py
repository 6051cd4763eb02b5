"""Phrasebooks: taught wordings with gaps, checked, quick whatever the line, saved beside the case and nowhere else."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from textual.widgets import Input, Select

from driving import ready, text_of
from stomion.errors import Malformed, UsageError
from stomion.ingest.logfile import shipped
from stomion.jobs.demo import demo_folder
from stomion.jobs.examine import Examined, examine
from stomion.jobs.teaching import save_phrase
from stomion.logs.lexicon import RELEVANT
from stomion.logs.phrasebook import as_taught, phrase, read_phrasebook, taught, written
from stomion.logs.templates import template_of
from stomion.logs.understand import understand
from stomion.model.event import What
from stomion.model.provenance import Provenance
from stomion.standin.dialects import LEDGERED, TALKATIVE, Dialect
from stomion.tui.app import StomionApp
from stomion.tui.screens.evidence import EvidenceScreen

HERE = Provenance("x", line=1)
ODD = "09:14:07 Zorp 17: flim of 198.51.100.34 smells of {0}\n"
BOOK = '[[phrase]]\ntext = "flim of {peer} smells of herring"\nsays = "key refused"\n'


def test_a_taught_wording_gives_its_event_with_its_gaps() -> None:
    item = phrase("Partner {peer} port {port} wants {their_ts}, we hold {my_ts}.", "selectors refused")
    line = "x Partner 192.0.2.9 port 500 wants 10.1.0.0/24 = 10.2.0.0/24, we hold 10.1.0.0/25 = 10.2.0.0/24."
    found = taught(line, [item])
    assert found is not None
    event = as_taught(*found, line, HERE, None)
    assert (event.what, event.peer, event.peer_port, event.far) == (What.SELECTORS_REFUSED, "192.0.2.9", 500, False)
    assert event.their_ts == ("10.1.0.0/24", "10.2.0.0/24")
    assert taught("Partner 192.0.2.9 is happy", [item]) is None


@pytest.mark.parametrize("dialect", [LEDGERED, TALKATIVE], ids=lambda d: d.name)
def test_the_shipped_phrasebook_and_the_vocabulary_agree_on_the_stand_ins_wordings(dialect: Dialect) -> None:
    """Two ways to the same event: every line of both makes has its phrase, and the lexicon alone says the same."""
    books = shipped()
    fields: dict[str, object] = dict.fromkeys(re.findall(r"\{(\w+)\}", " ".join(dialect.words.values())), "10.1.0.0/24")
    fields |= {
        "peer": "192.0.2.9",
        "port": 500,
        "number": 7,
        "tunnel": "far-link",
        "identity": "m.example",
        "tries": 3,
        "tunnels": 2,
    }
    fields |= {
        "offer": "AES-CBC-256 · group 14",
        "allowed": "AES-CBC-128",
        "suite": "AES-CBC-256 · group 14",
        "lifetime": 3600,
    }
    fields |= {
        "spi_in": "c1a2b3d4",
        "spi_out": "0a0b0c0d",
        "old_in": "c1a2b3d5",
        "group": 14,
        "length": 40_000,
        "message": 1,
    }
    for name, words in dialect.words.items():
        line = words.format(**fields)
        found = taught(line, books)
        alone = understand(line, HERE)
        if name == "start":  # says nothing about a tunnel
            assert found is None
            continue
        assert found is not None and alone is not None, line
        event = as_taught(*found, line, HERE, alone)
        assert RELEVANT.search(line.lower()), line
        assert (event.what, event.far) == (alone.what, alone.far), line
        assert event.peer == alone.peer, line


@pytest.mark.parametrize(
    ("text", "says", "by"),
    [
        ("{any}", "key refused", "own"),
        ("abc {nose}", "key refused", "own"),
        ("abc", "nonsense", "own"),
        ("abc", "key refused", "me"),
        ("abc" + "{any} x" * 13, "key refused", "own"),
    ],
)
def test_what_is_no_phrase_is_refused_with_a_reason(text: str, says: str, by: str) -> None:
    with pytest.raises(Malformed):
        phrase(text, says, by)


def test_a_phrasebook_survives_its_writing_and_bad_entries_are_named() -> None:
    items = [phrase('say "x" {any} \\ end', "IKE SA up"), phrase("abc {peer}", "no configuration for this peer", "far")]
    again, troubles = read_phrasebook(written(items))
    assert ([(p.text, p.what, p.far) for p in again], troubles) == ([(p.text, p.what, p.far) for p in items], [])
    found, troubles = read_phrasebook(BOOK + '[[phrase]]\ntext = "abc"\nsays = "wrong"\n[[phrase]]\nsays = 5\n')
    assert (len(found), len(troubles)) == (1, 2)
    assert read_phrasebook("[[[")[1][0].startswith("no TOML")


def test_no_line_keeps_a_phrase_busy() -> None:
    """Twelve gaps against a line made to fit almost: the time grows no faster than the line."""
    item = phrase("a " + "{any} b " * 11 + "{any} end", "key refused")
    times = []
    for size in (500, 4_000):
        line = "a " + "x b " * size
        begin = time.perf_counter()
        item.match(line)
        times.append(time.perf_counter() - begin)
    assert times[1] < max(times[0], 1e-4) * 200


@given(st.text(alphabet=st.characters(exclude_characters="{}", exclude_categories=["Cs", "Cc"]), max_size=200))
def test_a_suggestion_fits_the_line_it_came_from(words: str) -> None:
    line = " ".join(f"message from 192.0.2.7 port 500 {words}".split())
    assert phrase(template_of(line), "key refused").match(line) is not None


def test_a_case_s_own_phrasebook_is_used(case: Callable[[dict[str, str | bytes]], Examined]) -> None:
    files: dict[str, str | bytes] = {"quayhead/odd.log": ODD.format("herring")}
    assert case(files).tunnels == ()
    (tunnel,) = case({**files, "phrasebook.toml": BOOK}).tunnels
    assert [f.code for f in tunnel.findings] == ["key-mismatch"]


def test_saving_adds_to_the_derived_folder_and_leaves_the_demo_alone(tmp_path: Path) -> None:
    for text in ("abc {peer}", "def {peer}", "abc {peer}"):
        path = save_phrase(str(tmp_path), phrase(text, "key refused"))
    assert path == tmp_path / ".stomion" / "phrasebook.toml"
    assert [p.text for p in read_phrasebook(path.read_text())[0]] == ["def {peer}", "abc {peer}"]
    with pytest.raises(UsageError):
        save_phrase(str(demo_folder()), phrase("abc", "key refused"))


async def test_a_line_is_taught_on_the_screen(tmp_path: Path) -> None:
    (tmp_path / "quayhead").mkdir()
    log = tmp_path / "quayhead" / "odd.log"
    log.write_text(
        f"2026-05-04 ike service ready\n{ODD.format('herring')}{ODD.format('herring')}{ODD.format('lamp oil')}"
    )
    app = StomionApp([tmp_path])
    async with app.run_test(size=(140, 40)) as pilot:
        await ready(pilot)
        await pilot.press("9")
        await pilot.pause(0.3)
        screen = app.screen
        assert isinstance(screen, EvidenceScreen)
        await pilot.press("down", "l")
        await pilot.pause(0.2)
        app.screen.query_one("#text", Input).value = "flim of {peer} smells of herring"
        says = app.screen.query_one("#says", Select)
        says.value, says.expanded = "key refused", False
        await pilot.pause(0.2)
        assert "fits 2 lines of this source" in text_of(app)
        await pilot.press("ctrl+s")
        await ready(pilot)
        await pilot.pause(0.6)
        assert [f.code for d in app.order for f in d.findings] == ["key-mismatch"]
        assert log.read_text().count("herring") == 2
    assert [f.code for d in examine([tmp_path]).tunnels for f in d.findings] == ["key-mismatch"]
