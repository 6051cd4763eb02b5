"""Wordings learned from the wire and from the other end's log, and the command line's phrasebooks."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from click.testing import CliRunner, Result

from driving import ready, text_of, until
from stomion.cli.phrases import command
from stomion.jobs.demo import write_demo
from stomion.jobs.examine import Examined, examine
from stomion.jobs.learning import learn
from stomion.jobs.places import open_text
from stomion.jobs.teaching import forget_phrase, save_phrase, taught_before
from stomion.jobs.wordings import wordings_of
from stomion.logs.learning import Known, Learned, learned_from
from stomion.logs.phrasebook import phrase
from stomion.logs.templates import Template
from stomion.model.event import What
from stomion.model.provenance import Provenance
from stomion.tui.app import StomionApp

WORDING = "quayhead ike [{number}] the flim of {peer} is not to our taste"
ENDS = (
    ("north", "192.0.2.1", "192.0.2.2", "error: no proposal chosen for peer {0}: we refuse what it offers"),
    ("south", "192.0.2.2", "192.0.2.1", "zorp: {0} is not of our mind"),
)


@pytest.fixture
def odd_demo(tmp_path: Path) -> Path:
    """The demo, where one end says in words of its own that no proposal fits."""
    write_demo(tmp_path / "case")
    log = tmp_path / "case" / "quayhead" / "ike.log"
    text = re.sub(
        r"no IKE proposal in common with (203\.0\.113\.10):.*", r"the flim of \1 is not to our taste", log.read_text()
    )
    assert text.count("not to our taste") > 50
    log.write_text(text)
    return tmp_path / "case"


def _learned(examined: Examined, file: str) -> list[Learned]:
    text = open_text(examined, file)
    return learn(examined, file, text, wordings_of(examined, file, text))


def test_a_wording_beside_the_same_message_each_time_is_learned(odd_demo: Path) -> None:
    examined = examine([odd_demo], keep=False)
    (found,) = _learned(examined, "quayhead/ike.log")
    assert (found.text, found.what, found.far) == (WORDING, What.IKE_PROPOSAL_REFUSED, False)
    assert found.count == found.moments == 56
    assert found.beside[0][1].file == "quayhead/wan.pcapng"


def test_a_wording_is_learned_from_the_other_end_s_log(tmp_path: Path) -> None:
    for site, _, peer, words in ENDS:
        (tmp_path / site).mkdir()
        lines = [
            f"2026-05-04T09:1{n}:07Z ike: starting IKEv2 negotiation with {peer}\n2026-05-04T09:1{n}:08Z {words.format(peer)}\n"
            for n in range(4)
        ]
        (tmp_path / site / "ike.log").write_text("".join(lines))
    examined = examine([tmp_path], keep=False)
    (found,) = _learned(examined, "south/ike.log")
    assert (found.text, found.far, found.count) == ("zorp: {peer} is not of our mind", True, 4)
    assert found.what.value.endswith("proposal refused")


def _template(lines: list[int], text: str = "x {peer} no", **more: bool) -> Template:
    return Template(text, lines, weight=5, denies=more.get("denies", True))


def _known(*at: float, file: str = "a.pcap") -> list[Known]:
    return [Known(moment, What.KEY_REFUSED, True, Provenance(file, packet=n), 1.0) for n, moment in enumerate(at)]


@pytest.mark.parametrize(
    ("times", "known", "learned"),
    [
        ([10, 20], _known(10.4, 20.4), 1),
        ([10, 20], _known(10.4), 0),
        ([10, 20, 30], _known(10.4, 20.4), 0),
        ([10], _known(10.4), 0),
        ([10, 20], _known(10.4, 20.4, 30, 40), 0),
        ([10, 20], _known(10.4, 20.4) + _known(10.5, 20.5, file="other.log"), 1),
        ([10, 20], _known(12, 22), 0),
        ([10, 10.1], _known(10.4), 0),
    ],
)
def test_what_stands_elsewhere_too_or_once_is_not_learned(times: list[float], known: list[Known], learned: int) -> None:
    template = _template(list(range(1, len(times) + 1)))
    assert len(learned_from([template], dict(enumerate(times, 1)), known)) == learned


def test_words_that_deny_nothing_are_no_refusal() -> None:
    assert not learned_from([_template([1, 2], denies=False)], {1: 10, 2: 20}, _known(10, 20))


def _run(*words: str | Path) -> Result:
    return CliRunner().invoke(command, [str(word) for word in words])


def test_learned_wordings_are_kept_tried_and_merged(odd_demo: Path, tmp_path: Path) -> None:
    log = odd_demo / "quayhead" / "ike.log"
    assert f"quayhead/ike.log: {WORDING}" in _run("learn", odd_demo).stdout
    assert not (odd_demo / ".stomion").exists()
    assert "1 kept in" in _run("learn", odd_demo, "--save").stdout
    assert "nothing was learned" in _run("learn", odd_demo).stdout
    tried = _run("test", odd_demo, log)
    assert tried.exit_code == 0
    assert re.search(rf"^\s+56  IKE proposal refused +{re.escape(WORDING)}  .*ike\.log:33$", tried.stdout, re.MULTILINE)
    other = tmp_path / "other.toml"
    other.write_text(
        f'[[phrase]]\ntext = "{WORDING}"\nsays = "key refused"\n[[phrase]]\ntext = "zorp hums"\nsays = "IKE SA up"\n'
    )
    merged = _run("merge", odd_demo, other, "-o", tmp_path / "all.toml")
    assert "“IKE proposal refused” is kept" in merged.stderr
    tried = _run("test", tmp_path / "all.toml", log)
    assert tried.exit_code == 1
    assert re.search(r"^\s+0  IKE SA up +zorp hums$", tried.stdout, re.MULTILINE)


def test_wordings_are_listed(odd_demo: Path) -> None:
    shown = _run("wordings", odd_demo, "--unknown", "--most", "1").stdout
    assert re.search(rf"^ +56  not understood +{re.escape(WORDING)}$", shown, re.MULTILINE)
    assert "more; --most shows them" in shown
    known = _run("wordings", odd_demo, "--most", "1000").stdout
    assert "peer starts a negotiation" in known


@pytest.mark.parametrize(("text", "says"), [("[[phrase]]\ntext = 3\n", "phrase 1"), ("[[[", "no TOML")])
def test_what_is_no_phrasebook_is_said(tmp_path: Path, text: str, says: str) -> None:
    (tmp_path / "bad.toml").write_text(text)
    done = _run("test", tmp_path / "bad.toml", tmp_path / "bad.toml")
    assert done.exit_code != 0
    assert says in f"{done.output}{done.exception}"


def test_what_had_the_same_wording_before_is_put_back(tmp_path: Path) -> None:
    first, second = phrase("zorp hums", "IKE SA up"), phrase("zorp hums", "key refused")
    save_phrase(str(tmp_path), first)
    before = taught_before(str(tmp_path), second)
    book = save_phrase(str(tmp_path), second)
    assert 'says = "key refused"' in book.read_text()
    forget_phrase(str(tmp_path), second, before)
    assert 'says = "IKE SA up"' in book.read_text()
    assert "key refused" not in book.read_text()


def test_a_device_is_not_read(tmp_path: Path) -> None:
    (tmp_path / "book.toml").write_text('[[phrase]]\ntext = "zorp hums"\nsays = "IKE SA up"\n')
    for words in (["merge", "/dev/zero"], ["test", str(tmp_path / "book.toml"), "/dev/zero"]):
        done = _run(*words)
        assert done.exit_code != 0
        assert "no ordinary file" in f"{done.output}{done.exception}"


async def test_what_was_learned_is_offered_on_the_screen(odd_demo: Path) -> None:
    app = StomionApp([odd_demo])
    async with app.run_test(size=(150, 40)) as pilot:
        await ready(pilot)
        app.show_wordings("quayhead/ike.log")
        await until(pilot, lambda: "IKE proposal refused?" in text_of(app))
        assert "it stands beside it 56 of 56 times, at quayhead/wan.pcapng" in text_of(app)
        await pilot.press("l")
        await pilot.pause()
        assert "fits 56 lines of this source" in text_of(app)
        before = app.examined
        await pilot.press("ctrl+s")
        await until(pilot, lambda: app.examined is not before)
        assert 'says = "IKE proposal refused"' in (odd_demo / ".stomion" / "phrasebook.toml").read_text()
