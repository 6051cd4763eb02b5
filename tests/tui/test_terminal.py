"""The real program in a real terminal: open the demo, walk to Saltern's refusal, read the sentence off the screen."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

pytestmark = pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed")


class Terminal:
    """A tmux session of its own."""

    def __init__(self, socket: Path) -> None:
        self._base = ["tmux", "-S", str(socket), "-f", "/dev/null"]

    def run(self, *args: str) -> str:
        # A size in the environment would overrule the terminal's own.
        env = {k: v for k, v in os.environ.items() if k not in ("COLUMNS", "LINES")}
        return subprocess.run([*self._base, *args], capture_output=True, text=True, check=False, env=env).stdout

    def start(self, *command: str) -> None:
        self.run("new-session", "-d", "-x", "160", "-y", "47", *command)
        self.run("resize-window", "-x", "160", "-y", "47")

    def screen(self) -> str:
        return self.run("capture-pane", "-p")

    def until(self, text: str, seconds: float = 20) -> str:
        end = time.monotonic() + seconds
        while text not in (shown := self.screen()):
            if time.monotonic() > end:
                pytest.fail(f"the screen never showed {text!r}:\n{shown}")
            time.sleep(0.1)
        return shown

    def press(self, *keys: str) -> None:
        for key in keys:
            self.run("send-keys", key)
            time.sleep(0.1)


@pytest.fixture
def terminal(tmp_path: Path) -> Iterator[Terminal]:
    found = Terminal(tmp_path / "s")
    yield found
    found.run("kill-server")


def test_walk_to_the_refusal(terminal: Terminal) -> None:
    terminal.start(sys.executable, "-m", "stomion", "demo")
    terminal.until("Saltern offers group 14 only; Quayhead takes group 20 or 19. Nothing else differs.")
    terminal.press("Enter")
    terminal.until("inferred: only its peer's evidence speaks")
    terminal.press("3")
    shown = terminal.until("NO_PROPOSAL_CHOSEN")
    assert "every 30 s, all refused alike" in shown
    terminal.press("e")
    terminal.until("no IKE proposal in common")
    terminal.press("q")
    end = time.monotonic() + 10
    while terminal.run("list-sessions") and time.monotonic() < end:
        time.sleep(0.1)
    assert terminal.run("list-sessions") == ""


def test_a_change_is_tried_in_a_real_terminal(terminal: Terminal) -> None:
    terminal.start(sys.executable, "-m", "stomion", "demo")
    terminal.until("Carries traffic")
    terminal.press("End", *["Up"] * 5)
    terminal.until("translates what")
    terminal.press("5")
    terminal.until("exempts it, never asked")
    terminal.press("Down", "<")
    shown = terminal.until("gone: exemption-shadowed")
    assert "move rule 2 “not into the tunnel” above rule 1 “to the internet”" in shown and "0 of 3" in shown
    terminal.press("u")
    terminal.until("it leaves unencrypted")
    assert "no gateway is touched" not in terminal.screen()
