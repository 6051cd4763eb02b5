"""Pictures of the main views in a real terminal window, from the demo: `make screenshots` writes docs/screenshots/*.png.

Needs Debian's xvfb xterm tmux imagemagick x11-apps fonts-dejavu-core; says so in one line where one is missing.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "docs" / "screenshots"
NEEDED = {"Xvfb": "xvfb", "xterm": "xterm", "tmux": "tmux", "xwd": "x11-apps", "convert": "imagemagick"}
WIDE, NARROW = (1280, 800), (800, 512)
CELL = (8, 17)

# name: (window, what to wait for first, then keys and what to wait for)
SHOTS: dict[str, tuple[tuple[int, int], list[tuple[str, str]]]] = {
    "tunnels": (WIDE, []),
    "tunnels-light": (WIDE, [("t", "Saltern"), ("Down", "Driftwood could"), ("Down", "Quayhead means")]),
    "tunnels-narrow": (NARROW, []),
    "tunnel-selectors": (WIDE, [("Down", "Driftwood could"), ("Down", "Quayhead means"), ("Enter", "must change")]),
    "tunnel-inferred": (WIDE, [("Enter", "inferred")]),
    "tunnel-healthy": (WIDE, [("End", "Carries"), ("Enter", "traffic gets through")]),
    "negotiation": (WIDE, [("3", "NO_PROPOSAL_CHOSEN")]),
    "negotiation-v1": (WIDE, [("Down", "Driftwood could"), ("3", "MAIN_MODE")]),
    "path": (
        WIDE,
        [
            ("End", "Carries"),
            ("Up", "Carries"),
            ("Up", "Idle"),
            ("Up", "moves its traffic"),
            ("Up", "drops tcp/443"),
            ("Up", "translates what"),
            ("5", "unencrypted"),
        ],
    ),
    "path-what-if": (
        WIDE,
        [
            ("End", "Carries"),
            ("Up", "Carries"),
            ("Up", "Idle"),
            ("Up", "moves its traffic"),
            ("Up", "drops tcp/443"),
            ("5", "It ends: rule 1"),
            ("-", "with A"),
            ("s", "▸ B"),
            ("+", "at Whelk: allow"),
            ("Enter", "add above rule"),
            ("m", "as it is"),
        ],
    ),
    "compare": (WIDE, [("4", "agree on")]),
    "counters": (WIDE, [("End", "Carries"), ("6", "so far"), ("N", "answered")]),
    "traffic": (
        WIDE,
        [
            ("End", "Carries"),
            ("Up", "Carries"),
            ("Up", "Idle"),
            ("Up", "moves its traffic"),
            ("Up", "drops tcp/443"),
            ("7", "near to far"),
        ],
    ),
    "failover": (
        WIDE,
        [("End", "Carries"), ("Up", "Carries"), ("Up", "Idle"), ("Up", "moves its traffic"), ("8", "measured")],
    ),
    "read": (WIDE, [("0", "understood")]),
    "sites": (WIDE, [("m", "networks"), *([("Down", "works")] * 7)]),
    "evidence-both-ends": (
        WIDE,
        [
            ("Down", "Driftwood could"),
            ("Down", "Quayhead means"),
            ("9", "understood"),
            ("v", "one column"),
            ("v", "side by side"),
        ],
    ),
    "evidence": (WIDE, [("e", "understood")]),
    "keys": (WIDE, [("3", "NO_PROPOSAL_CHOSEN"), ("?", "Keys on the screen")]),
}


class Stage:
    """A virtual screen with one terminal window, and tmux inside it to send keys and read the text."""

    def __init__(self, size: tuple[int, int], folder: Path) -> None:
        self._socket = folder / "tmux"
        conf = folder / "tmux.conf"
        conf.write_text(
            'set -g status off\nset -g default-terminal tmux-256color\nset -ga terminal-overrides ",xterm*:RGB"\nset -sg escape-time 5\n'
        )
        reader, writer = os.pipe()
        screen = ["Xvfb", "-displayfd", str(writer), "-screen", "0", f"{size[0]}x{size[1]}x24", "-nolisten", "tcp"]
        self._children = [subprocess.Popen(screen, pass_fds=[writer], stderr=subprocess.DEVNULL)]
        os.close(writer)
        kept = {k: v for k, v in os.environ.items() if k not in ("COLUMNS", "LINES")}
        self._env = kept | {"DISPLAY": ":" + os.read(reader, 16).decode().strip(), "COLORTERM": "truecolor"}
        cells = f"{size[0] // CELL[0]}x{size[1] // CELL[1]}+0+0"
        inside = [
            "tmux",
            "-S",
            str(self._socket),
            "-f",
            str(conf),
            "new-session",
            f"COLORTERM=truecolor exec {sys.executable} -m stomion demo",
        ]
        window = [
            "xterm",
            "-fa",
            "DejaVu Sans Mono",
            "-fs",
            "10",
            "-b",
            "0",
            "+sb",
            "-bg",
            "black",
            "-tn",
            "xterm-256color",
            "-geometry",
            cells,
        ]
        self._children.append(subprocess.Popen([*window, "-e", *inside], env=self._env, stderr=subprocess.DEVNULL))

    def tmux(self, *words: str) -> str:
        done = subprocess.run(
            ["tmux", "-S", str(self._socket), *words], capture_output=True, text=True, env=self._env, check=False
        )
        return done.stdout

    def until(self, text: str) -> None:
        end = time.monotonic() + 20
        while text not in self.tmux("capture-pane", "-p"):
            if time.monotonic() > end:
                sys.exit(f"the screen never showed {text!r}")
            time.sleep(0.1)

    def picture(self, path: Path) -> None:
        time.sleep(0.7)
        dump = subprocess.run(["xwd", "-silent", "-root"], env=self._env, capture_output=True, check=True).stdout
        subprocess.run(
            ["convert", "xwd:-", "-strip", "-define", "png:exclude-chunks=date,time", str(path)], input=dump, check=True
        )

    def close(self) -> None:
        self.tmux("kill-server")
        for child in reversed(self._children):
            child.terminate()
            child.wait()


def main() -> None:
    missing = [package for program, package in NEEDED.items() if shutil.which(program) is None]
    if missing:
        sys.exit(f"missing, install with apt-get: {' '.join(missing)} fonts-dejavu-core")
    TARGET.mkdir(parents=True, exist_ok=True)
    wanted = sys.argv[1:] or list(SHOTS)
    for name in wanted:
        size, steps = SHOTS[name]
        with tempfile.TemporaryDirectory() as folder:
            stage = Stage(size, Path(folder))
            try:
                stage.until("Saltern offers")
                for key, text in steps:
                    stage.tmux("send-keys", key)
                    stage.until(text)
                stage.picture(TARGET / f"{name}.png")
            finally:
                stage.close()
        print(TARGET / f"{name}.png")


if __name__ == "__main__":
    main()
