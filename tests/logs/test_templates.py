"""A log sorted by its wordings: every line fits its own, names that vary do not part them, words of the trade do."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from driving import ready, text_of, until
from stomion.errors import Cancelled
from stomion.jobs.demo import demo_folder, write_demo
from stomion.jobs.examine import examine
from stomion.logs import templates
from stomion.logs.phrasebook import phrase
from stomion.logs.templates import Template, template_of, templates_of
from stomion.logs.threads import is_of_threads
from stomion.model.event import Event, What
from stomion.model.provenance import Provenance
from stomion.tui.app import StomionApp
from stomion.tui.screens.wordings import WordingsScreen
from stomion.tui.widgets.lines import Lines

LOG = """\
09:14:07 {03} zorp: flim of 198.51.100.34:500 smells of herring
09:14:08 {07} zorp: flim of 198.51.100.35:500 smells of herring
09:14:09 {03} zorp: link west-2 hums
09:14:10 {03} zorp: link east-77 hums
09:14:11 {03} zorp: proposal taken
09:14:12 {03} zorp: proposal refused
09:14:13 {03} zorp: bytes 0a 1b 2c 3d 4e
09:14:14 {03} zorp: bytes 0a ff 2c 3d 4e 5f 60
"""


def _sorted(text: str, events: dict[int, Event] | None = None) -> list[Template]:
    return list(templates_of(enumerate(text.splitlines(), 1), events or {}, peers={"198.51.100.34"}).found)


def test_lines_are_sorted_by_their_constant_words() -> None:
    found = {t.text: t.lines for t in _sorted(LOG)}
    assert found == {
        "{word} zorp: flim of {peer}:{port} smells of herring": [1, 2],
        "{word} zorp: link {word} hums": [3, 4],
        "{word} zorp: proposal taken": [5],
        "{word} zorp: proposal refused": [6],
        "{word} zorp: bytes {any}": [7, 8],
    }


def test_what_would_decide_most_comes_first_and_what_is_known_last() -> None:
    known = Event(what=What.PROPOSAL_REFUSED, where=Provenance("x", line=6), text="")
    found = _sorted(LOG, {6: known})
    assert [t.text[len("{word} zorp: ") :] for t in found[:2]] == [
        "flim of {peer}:{port} smells of herring",
        "proposal taken",
    ]
    assert (found[-1].says, found[-1].understood, found[-1].known) == ("proposal refused", 1, True)
    assert not found[0].known


def test_own_addresses_and_names_have_gaps_of_their_own() -> None:
    line = "sent to 192.0.2.9 from 203.0.113.1 for far-link: 10.1.0.0/24"
    (found,) = templates_of([(1, line)], {}, own={"203.0.113.1"}, names={"far-link"}).found
    assert found.text == "sent to {peer} from {own} for {conn}: {any}"


def test_the_sentence_of_a_framed_line_is_its_wording() -> None:
    line = '{"time": "2026-05-04T09:14:00Z", "tunnel": 7, "message": "The far device 192.0.2.9 took offence at us."}'
    assert template_of(line) == "The far device {peer} took offence at us"


def test_more_lines_than_are_sorted_are_counted(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(templates, "MOST_LINES", 3)
    found = templates_of(enumerate(LOG.splitlines(), 1), {})
    assert (sum(len(t.lines) for t in found.found), found.left_out, found.lines) == (3, 5, 8)


def test_sorting_is_stopped() -> None:
    def stop() -> None:
        raise Cancelled

    with pytest.raises(Cancelled):
        templates_of([(1, "x")], {}, check=stop)


def _fits(text: str, line: str) -> bool:
    return phrase(text, "key refused").match(line) is not None


def test_every_line_of_the_demo_s_logs_fits_its_wording() -> None:
    for path in sorted(demo_folder().rglob("*.log")):
        lines = path.read_text("utf-8").split("\n")
        for item in templates_of(enumerate(lines, 1), {}).found:
            assert all(_fits(item.text, lines[number - 1]) for number in item.lines), item.text


WORDS = ["198.51.100.7:500", "0xdeadbeef", "{03}", "}", "a-1", "peer", "10.0.0.0/8", "  ", "=", "7", "no"]


@given(st.lists(st.sampled_from(WORDS), max_size=14))
def test_any_line_fits_its_wording(words: list[str]) -> None:
    line = "zorp says " + " ".join(words)
    assert phrase(template_of(line), "key refused").match(line) is not None


THREADS = """\
260504.091400.000001 {03} kx got(192.0.2.7:500, 304)
260504.091400.000002 {07} kx sa_new(to=192.0.2.8:500)
260504.091400.000003 {03} kx state 0 -> 2
260504.091400.000004 {07} auth: the pre-shared key does not match
260504.091400.000005 {03} kx state 2 -> 3
"""


def test_what_a_thread_says_is_about_the_peer_that_it_named(tmp_path: Path) -> None:
    assert is_of_threads(THREADS.splitlines())
    assert not is_of_threads(THREADS.replace("{07}", "{03}").splitlines())
    (tmp_path / "north").mkdir()
    (tmp_path / "north" / "ike.log").write_text(THREADS)
    (log,) = examine([tmp_path], keep=False).evidence.logs
    (event,) = [e for e in log.events if e.what is What.KEY_REFUSED]
    assert event.peer == "192.0.2.8"


async def test_a_wording_is_taught_in_a_few_keys_and_taken_back(tmp_path: Path) -> None:
    case = tmp_path / "case"
    write_demo(case)
    (case / "marram" / "gateway.log").write_text(LOG.replace("198.51.100.34", "203.0.113.10"))
    app = StomionApp([case])
    async with app.run_test(size=(150, 40)) as pilot:
        await ready(pilot)
        app.show_wordings("marram/gateway.log")
        screen = app._page("wordings")
        assert isinstance(screen, WordingsScreen)
        await until(pilot, lambda: screen._found is not None)
        await pilot.pause()
        shown = text_of(app)
        assert "5 wordings, 4 not understood" in shown
        assert "flim of {peer}:{port} smells of herring" in shown
        screen.query_one("#list", Lines).go(next(n for n, t in enumerate(screen._rows()) if "flim" in t.text))
        before = app.examined
        await pilot.press("l")
        await pilot.pause()
        await pilot.press(*"key ref", "enter")
        await pilot.press("ctrl+s")
        await until(pilot, lambda: app.examined is not before and screen._from is app.examined and not screen._trouble)
        assert "3 not understood" in text_of(app)
        book = case / ".stomion" / "phrasebook.toml"
        assert 'text = "{word} zorp: flim of {peer}:{port} smells of herring"' in book.read_text()
        assert 'says = "key refused"' in book.read_text()
        before = app.examined
        await pilot.press("u")
        await until(pilot, lambda: app.examined is not before and screen._from is app.examined and not screen._trouble)
        assert "4 not understood" in text_of(app)
        assert "herring" not in book.read_text()
        await pilot.press("u")
        await pilot.pause()
        assert any("Nothing was taught" in n.message for n in app._notifications)


async def test_a_wording_s_lines_are_shown_alone(tmp_path: Path) -> None:
    (tmp_path / "north").mkdir()
    (tmp_path / "north" / "ike.log").write_text(LOG)
    app = StomionApp([tmp_path])
    async with app.run_test(size=(150, 40)) as pilot:
        await ready(pilot)
        await pilot.press("9")
        await until(pilot, lambda: "link west-2 hums" in text_of(app))
        await pilot.press("p")
        screen = app._page("wordings")
        assert isinstance(screen, WordingsScreen)
        await until(pilot, lambda: screen._found is not None)
        await pilot.pause()
        screen.query_one("#list", Lines).go(next(n for n, t in enumerate(screen._rows()) if "link" in t.text))
        await pilot.press("enter")
        await until(pilot, lambda: app.place == "evidence" and "2 of 8 lines" in text_of(app))
        shown = text_of(app)
        assert "link west-2 hums" in shown
        assert "proposal" not in shown
        await pilot.press("escape")
        await pilot.pause()
        assert "proposal refused" in text_of(app)
