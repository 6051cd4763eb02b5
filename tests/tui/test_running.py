"""Tests run from the traffic screen: shown first, written at once, read again."""

from __future__ import annotations

import json
import shutil
import socket
import threading
from pathlib import Path

import pytest

from driving import ready, text_of
from stomion.tui.app import StomionApp

SHEET = """site = "{site}"
[[tunnel]]
name = "t"
peer_site = "{other}"
local = "{local}"
peer = "{peer}"
ike = 2
local_ts = ["{mine}"]
remote_ts = ["{theirs}"]
"""


@pytest.mark.skipif(not (shutil.which("bash") and shutil.which("timeout")), reason="bash and timeout are needed")
async def test_expected_tests_are_run_from_the_screen(tmp_path: Path) -> None:
    with socket.create_server(("127.0.0.1", 0)) as server:
        port = server.getsockname()[1]
        threading.Thread(target=lambda: server.accept()[0].close(), daemon=True).start()
        (tmp_path / "sites").mkdir()
        ends = {"local": "192.0.2.10", "peer": "198.51.100.20", "mine": "10.1.0.0/24", "theirs": "127.0.0.0/24"}
        (tmp_path / "sites" / "ash.toml").write_text(SHEET.format(site="ash", other="birch", **ends))
        ends = {"local": "198.51.100.20", "peer": "192.0.2.10", "mine": "127.0.0.0/24", "theirs": "10.1.0.0/24"}
        (tmp_path / "sites" / "birch.toml").write_text(SHEET.format(site="birch", other="ash", **ends))
        (tmp_path / "case.toml").write_text(
            '[[vantage]]\nname = "ash/desk"\ncommand = []\n'
            f'[[expect]]\nfrom = "ash/desk"\nto = "127.0.0.1"\nservice = "tcp/{port}"\noutcome = "reach"\n'
        )
        app = StomionApp([tmp_path])
        async with app.run_test(size=(120, 40)) as pilot:
            await ready(pilot)
            await pilot.press("7", "x")
            await pilot.pause()
            assert "This will be sent" in text_of(app) and f"127.0.0.1 tcp/{port}: one connection" in text_of(app)
            assert not (tmp_path / "path").exists()
            await pilot.press("x")
            for _ in range(50):
                await pilot.pause(0.1)
                if "1 done, each written" in text_of(app):
                    break
            assert "1 of 1 answered" in text_of(app)
            await pilot.press("escape")
            await pilot.pause(1.0)
            assert app.place == "traffic" and f"tcp/{port}" in text_of(app)
    (record,) = map(json.loads, (tmp_path / "path" / "tried.jsonl").read_text().splitlines())
    assert record["received"] == 1


async def test_a_case_without_vantages_says_what_is_missing() -> None:
    from stomion.jobs.demo import demo_folder

    app = StomionApp([demo_folder()])
    async with app.run_test(size=(120, 40)) as pilot:
        await ready(pilot)
        await pilot.press("7", "x")
        await pilot.pause()
        assert "[[vantage]]" in text_of(app)
        await pilot.press("escape")
        await pilot.pause()
        assert app.place == "traffic"
