"""Many tunnels as rows of a table, narrowed by a few words, from the command line and from the screen."""

from __future__ import annotations

import csv
import io
from pathlib import Path

import pytest
from click.testing import CliRunner, Result

from stomion.cli.check import command
from stomion.jobs.demo import demo_folder, write_demo
from stomion.jobs.examine import Examined, examine
from stomion.jobs.rows import COLUMNS, as_csv
from stomion.jobs.summary import chosen_of
from stomion.tui.app import StomionApp


@pytest.fixture(scope="module")
def demo() -> Examined:
    return examine([demo_folder()])


def _rows(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text)))


def _check(*words: str) -> Result:
    return CliRunner().invoke(command, [str(demo_folder()), *words], standalone_mode=True)


def test_a_row_for_every_tunnel_with_what_each_end_changes(demo: Examined) -> None:
    rows = _rows(as_csv(chosen_of(demo)))
    assert [r["tunnel"] for r in rows] == [d.picture.name for d in demo.worst_first()]
    (saltern,) = [r for r in rows if r["tunnel"] == "quayhead-saltern"]
    assert saltern["finding"] == "ike-proposal-mismatch"
    assert saltern["at"] == "Quayhead and Saltern"
    assert "group 14" in saltern["change at left"]
    assert saltern["proof"].startswith("quayhead/ike.log:")
    (whelk,) = [r for r in rows if r["tunnel"] == "quayhead-whelk"]
    assert whelk["state"] != "broken" or whelk["finding"]


def test_only_those_that_fit_are_counted_and_judged() -> None:
    done = _check("--where", "is:broken at:marram", "--csv")
    assert done.exit_code == 1
    assert [r["tunnel"] for r in _rows(done.stdout)] == ["quayhead-marram"]
    text = _check("--where", "-is:broken").stdout
    assert "quayhead-marram" not in text
    assert "quayhead-whelk" in text


def test_words_that_fit_none_are_said(demo: Examined) -> None:
    done = _check("--where", "at:nowhere")
    assert done.exit_code != 0
    assert f"none of {len(demo.tunnels)} tunnels fits: at:nowhere" in f"{done.output}{done.exception}"


def test_one_form_at_a_time() -> None:
    done = _check("--csv", "--json")
    assert "one at a time" in f"{done.output}{done.exception}"


def test_a_name_that_is_a_formula_stays_a_text(tmp_path: Path) -> None:
    (tmp_path / "sites").mkdir()
    row = '[[tunnel]]\nname = "{n}"\npeer_site = "{p}"\nlocal = "{a}"\npeer = "{b}"\n'
    for site, peer, a, b in (
        ("north", "south", "192.0.2.1", "192.0.2.2"),
        ("south", "north", "192.0.2.2", "192.0.2.1"),
    ):
        text = f'site = "{site}"\ntitle = "=1+1 {site}"\n' + row.format(n="=cmd|x", p=peer, a=a, b=b)
        (tmp_path / "sites" / f"{site}.toml").write_text(text)
    (only,) = csv.reader(io.StringIO(as_csv(chosen_of(examine([tmp_path]))).split("\r\n", 1)[1]))
    assert not [cell for cell in only if cell[:1] in "=+-@" and cell]
    assert len(only) == len(COLUMNS)


async def test_the_screen_writes_what_it_shows(tmp_path: Path) -> None:
    write_demo(tmp_path / "case")
    app = StomionApp([tmp_path / "case"])
    async with app.run_test(size=(140, 40)) as pilot:
        while app.examined is None:
            await pilot.pause(0.02)
        await pilot.press("slash", *"is:broken", "enter", "x")
        await pilot.pause()
    rows = _rows((tmp_path / "case" / ".stomion" / "tunnels.csv").read_text())
    assert rows
    assert {r["state"] for r in rows} == {"broken"}
