"""Errors of ours on a screen: a sentence, a file without values, a status that is no tunnel's; and keys that come too early."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Sequence
from pathlib import Path

import pytest
from textual.css.query import NoMatches

from driving import ready
from stomion.jobs.demo import demo_folder
from stomion.tui.app import StomionApp
from stomion.tui.crash import crash_sentence, crash_text, state_folder
from stomion.tui.screens.base import Page

PROGRAM = """
import sys
from stomion.tui import app
from stomion.tui.screens.tunnels import TunnelsScreen
from stomion.tui.screens.failover import FailoverScreen
from stomion.tui.screens.base import Page
from stomion.tui.widgets.lines import Lines
from stomion.entry import main
from textual.command import CommandPalette
from textual.widgets import Input, OptionList
def fails(self, *given):
    secret = "hunter2-and-more"
    raise KeyError(1)
{place} = fails
real = app.StomionApp.run
def run(self, **more):
    async def pilot(pilot):
        await pilot.pause(1)
        for key in {keys!r}:
            await pilot.press(key)
            await pilot.pause(0.5)
        print("still at", self.place)
        self._exception or self.exit()
    return real(self, headless=True, auto_pilot=pilot, **more)
app.StomionApp.run = run
main(["demo"])
"""


@pytest.mark.parametrize(
    ("place", "keys", "left_at"),
    [
        ("app.StomionApp.action_finding", "fff2", "still at tunnel"),
        ("FailoverScreen.fill", "82", "still at tunnel"),
        ("TunnelsScreen.on_mount", "2", "still at tunnel"),
        ("Lines.on_resize", "2", "still at tunnel"),
        ("Lines.strip_at", "2", "still at tunnel"),
        ("Lines.on_focus", "2", "still at tunnel"),
        ("Page.on_resize", "2", "still at tunnel"),
        ("Input._on_key", ("slash", "a", "escape", "2"), "still at tunnel"),
        ("OptionList._on_mount", ("ctrl+p", "2"), "still at tunnel"),
        ("OptionList.render_line", ("ctrl+p", "2"), "still at tunnel"),
        ("CommandPalette._on_mount", ("ctrl+p", "2"), "still at tunnel"),
    ],
)
def test_an_error_on_a_screen_is_a_sentence_and_status_3(
    tmp_path: Path, place: str, keys: Sequence[str], left_at: str
) -> None:
    env = {**os.environ, "XDG_STATE_HOME": str(tmp_path / "state")}
    code = PROGRAM.format(place=place, keys=keys)
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, env=env, check=False, timeout=60
    )
    told = " ".join((done.stdout + done.stderr).split())
    assert done.returncode == 3, told
    assert told.count("an error of this program (KeyError") == 1, told
    assert "Nothing of the case was changed." in told and "hunter2" not in told
    assert left_at in told
    (file,) = (tmp_path / "state" / "stomion").iterdir()
    text = file.read_text()
    assert "KeyError: 1" in text and "in fails" in text
    assert "hunter2" not in text


def test_where_no_file_can_be_written_it_is_said_all_the_same(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "file").write_text("")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "file"))
    assert state_folder() == tmp_path / "file" / "stomion"
    try:
        raise ValueError("psk = 'hunter2-and-more'\x1b[31m")
    except ValueError as error:
        assert crash_sentence(error).endswith("please report it. Nothing of the case was changed.")
        assert "\x1b" not in crash_text(error) and "hunter2" not in crash_text(error)


async def test_keys_typed_ahead_into_the_list_of_actions() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(100, 30)) as pilot:
        await ready(pilot)
        app.action_command_palette()
        for _ in range(3):
            await pilot.press("pagedown", "pageup", "home", "end")
        assert app.return_code in (None, 0)
        await pilot.press("escape")


async def test_a_screen_that_is_being_left_is_filled_no_more() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test() as pilot:
        await ready(pilot)
        page = app.screen
        assert isinstance(page, Page)
        await page.query_one("#list").remove()
        with pytest.raises(NoMatches):
            page.refresh_page()
        app.exit()
        page.refresh_page()
