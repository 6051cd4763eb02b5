"""A large case opened again: how it stood at once, what is different when it was read, and the workers that read it."""

from __future__ import annotations

import asyncio
import re
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any

import pytest

from driving import text_of
from stomion.case.evidence import Evidence
from stomion.ingest import folder
from stomion.jobs import look
from stomion.jobs.cancel import CancelToken
from stomion.jobs.demo import write_fleet
from stomion.jobs.examine import examine
from stomion.jobs.look import keep_look, look_of
from stomion.tui.app import StomionApp
from stomion.tui.screens.tunnels import TunnelsScreen


@pytest.fixture
def fleet(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    monkeypatch.setattr(folder, "LEAST_KEPT", 0)
    write_fleet(tmp_path / "fleet", 6)
    return tmp_path / "fleet"


async def test_the_last_look_is_shown_while_the_case_is_read(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    keep_look([fleet], look_of(examine([fleet]), 1_777_000_000.0))
    sheet = fleet / "sites" / "station0005.toml"
    sheet.write_text(sheet.read_text().replace('remote_ts = ["10.96.0.0/20"]', 'remote_ts = ["10.250.0.0/24"]'))
    go_on = asyncio.Event()
    app = StomionApp([fleet], keep=True)
    examined = StomionApp._compare

    async def later(self: StomionApp, found: object) -> None:
        await go_on.wait()
        examined(self, found)  # type: ignore[arg-type]

    monkeypatch.setattr(StomionApp, "_compare", lambda self, found: self.run_worker(later(self, found), group="later"))

    async with app.run_test(size=(140, 40)) as pilot:
        while app.before is None:
            await pilot.pause(0.02)
        await pilot.pause()
        screen = app.screen
        assert isinstance(screen, TunnelsScreen)
        assert "A fleet of stations" in str(app.trail("tunnels"))
        assert "Station0005" in text_of(app)
        assert "as it stood at 2026-04-24 03:06 UTC; the case is being read" in text_of(app)
        await pilot.press("down", "enter")
        assert app.place == "tunnels"
        wanted = app.wanted
        assert wanted in text_of(app)
        go_on.set()
        while app.examined is None:
            await pilot.pause(0.02)
        await pilot.pause()
        assert app.current is not None
        assert app.current.picture.name == wanted
        assert list(app.changed) == ["quayhead-station0005"]
        (marked,) = [line for line in text_of(app).splitlines() if line.startswith("•")]
        assert "Station0005" in marked
        await pilot.press("slash", *"is:changed", "enter")
        await pilot.pause()
        assert "10.250.0.0/24" in text_of(app)
        assert "• before, 2026-04-24 03:06 UTC: working" in text_of(app)


_OPENED = """
import asyncio, sys
from pathlib import Path
from stomion.ingest import folder, workers
from stomion.tui.app import StomionApp
workers.LEAST_BYTES, workers.processors = 0, lambda: 2
here, one = [], folder.read_one
folder.read_one = lambda item, *rest, **more: (here.append(item.name), one(item, *rest, **more))[1]
async def drive():
    app = StomionApp([Path(sys.argv[1])])
    async with app.run_test(size=(140, 40)) as pilot:
        while app.examined is None and not app._notifications:
            await pilot.pause(0.02)
        said = [n.message for n in app._notifications]
        return said, len(app.examined.tunnels), [name for name in here if name.endswith(".log")]
print(asyncio.run(drive()))
"""


def test_workers_read_for_the_screens_too(fleet: Path) -> None:
    # In a program of its own: what workers need of the system is made once, and has to work from under the screens.
    done = subprocess.run(
        [sys.executable, "-c", _OPENED, str(fleet)], capture_output=True, text=True, timeout=120, check=False
    )
    assert (done.stdout.strip(), done.stderr) == ("([], 6, [])", "")


async def test_a_large_case_seen_for_the_first_time_shows_its_first_tunnels(
    fleet: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(look, "EARLY_SHEETS", 4)
    told: list[str] = []
    go_on = threading.Event()
    read = folder.read_case

    def later(*given: Any, **named: Any) -> Evidence:
        found = read(*given, **named)
        assert go_on.wait(20)
        return found

    monkeypatch.setattr("stomion.jobs.examine.read_case", later)
    progressed = StomionApp._progressed
    monkeypatch.setattr(StomionApp, "_progressed", lambda self, text: (told.append(text), progressed(self, text))[1])
    app = StomionApp([fleet])
    async with app.run_test(size=(140, 40)) as pilot:
        while app.before is None:
            await pilot.pause(0.02)
        await pilot.pause()
        shown = text_of(app)
        assert "the first tunnels, by what their sheets alone tell; the case is being read" in shown
        assert "Station0002" in shown
        assert "Station0005" not in shown
        go_on.set()
        while app.examined is None:
            await pilot.pause(0.02)
        await pilot.pause()
        assert "Station0005" in text_of(app)
        assert app.before is None
        assert not app.changed
    assert any(re.match(r"reading \d+ of \d+: ", text) for text in told)


async def test_reading_for_the_first_time_is_stopped_with_its_first_tunnels_shown(
    fleet: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def endless(_paths: object, tick: Any, **_named: object) -> Evidence:
        while True:
            tick("north/ike.log", 1)
            time.sleep(0.01)

    monkeypatch.setattr("stomion.jobs.examine.read_case", endless)
    app = StomionApp([fleet])
    async with app.run_test(size=(140, 40)) as pilot:
        while app.before is None:
            await pilot.pause(0.02)
        await pilot.press("ctrl+c")
        while "was stopped" not in app.progress:
            await pilot.pause(0.02)
        await pilot.pause()
        shown = text_of(app)
        assert "reading was stopped; r reads again" in shown
        assert "Station0002" in shown
        assert "is being read" not in shown
        assert "ctrl+c stops" not in shown


def test_a_small_case_has_no_early_look(fleet: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(folder, "LEAST_KEPT", 1 << 30)
    assert look.early_look([fleet], CancelToken()) is None
