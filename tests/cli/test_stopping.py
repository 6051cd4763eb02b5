"""Stopping what runs: by ctrl+c on the command line, and by leaving the screens in the middle of one large table."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

STOMION = "import sys; sys.setswitchinterval(0.01); from stomion.entry import main; main()"


def _large_sheet(folder: Path) -> Path:
    """One table that takes many seconds to parse, within which nothing can be asked."""
    row = '[[tunnel]]\nname = "t{0}"\npeer_site = "s{0}"\nlocal = "192.0.2.1"\npeer = "198.51.100.7"\n'
    (folder / "sites").mkdir()
    (folder / "sites" / "north.toml").write_text('site = "north"\n' + "".join(row.format(n) for n in range(60_000)))
    (folder / "north").mkdir()
    (folder / "north" / "ike.log").write_text("2026-05-04T09:00:00Z ike: no proposal chosen, peer 192.0.2.9\n")
    return folder


def _worked(pid: int, seconds: float) -> None:
    """Wait until a process has used so much of a processor: a loaded machine takes longer to come as far."""
    for _ in range(600):
        user, system = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[11:13]
        if (int(user) + int(system)) / os.sysconf("SC_CLK_TCK") >= seconds:
            return
        time.sleep(0.05)


def test_ctrl_c_says_how_far_reading_came(tmp_path: Path) -> None:
    case = _large_sheet(tmp_path)
    process = subprocess.Popen(
        [sys.executable, "-c", STOMION, "check", str(case)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    _worked(process.pid, 2.0)
    process.send_signal(signal.SIGINT)
    out, error = process.communicate(timeout=30)
    assert (process.returncode, out) == (130, "")
    assert error.strip() == "stomion: stopped; 1 file begun, the last was sites/north.toml; nothing was judged"


LEAVING = """
import time
from stomion.tui import app
from stomion.entry import main
real = app.StomionApp.run
def run(self, **more):
    async def pilot(pilot):
        await pilot.pause(1.5)
        {first}
        await pilot.pause(0.2)
        print("progress:", self.progress, flush=True)
        print("left at", time.monotonic(), flush=True)
        await pilot.press("q")
    return real(self, headless=True, auto_pilot=pilot, **more)
app.StomionApp.run = run
main([{case!r}])
"""


@pytest.mark.parametrize(
    ("first", "progress"),
    [("pass", "reading sites/north.toml"), ("await pilot.press('ctrl+c')", "reading was stopped; r reads again")],
)
def test_the_screens_are_left_at_once(tmp_path: Path, first: str, progress: str) -> None:
    code = LEAVING.format(case=str(_large_sheet(tmp_path)), first=first)
    env = {**os.environ, "STOMION_NO_CACHE": "1"}
    done = subprocess.run(
        [sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=False, env=env
    )
    ended = time.monotonic()
    assert done.returncode == 0, done.stderr
    told = dict(line.split(": ") if ": " in line else line.rsplit(" ", 1) for line in done.stdout.splitlines())
    assert told["progress"] == progress
    # Parsing would go on for many seconds more; the machine of the tests may be slow, too.
    assert ended - float(told["left at"]) < 5
