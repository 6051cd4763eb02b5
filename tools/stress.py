"""Random keys, mouse and sizes against the screens, and evidence that changes under them: no error may come of it.

python tools/stress.py [--minutes N] [--seed N] [CASE ...]     without a CASE: the demo, an empty case, and one of very long names

Prints every error with the keys that led there, and how many keys and sizes were tried. Exit status 1 where there was any.
"""

from __future__ import annotations

import argparse
import asyncio
import random
import shutil
import sys
import tempfile
import time
import traceback
from pathlib import Path

from stomion.jobs.demo import demo_folder
from stomion.tui.app import StomionApp
from stomion.tui.keymap import KEYS

LEAST, MOST = (20, 5), (300, 100)
MOVES = [
    "up",
    "down",
    "left",
    "right",
    "pageup",
    "pagedown",
    "home",
    "end",
    "enter",
    "escape",
    "tab",
    "shift+tab",
    "space",
    "backspace",
]
LETTERS = list("abcdefghijklmnopqrstuvwxyzAEFGNW0123456789/?.:[]{}+-")
LEAVES = {"q", "ctrl+c", "ctrl+q", "x"}
"""Keys that end the application, or that send packets."""


def keys() -> list[str]:
    """All that the key table knows, and what else may be pressed; moves more often than the rest."""
    known = [key for row in KEYS for key in row.keys.split(",") if key not in LEAVES]
    return [
        *known * 2,
        *MOVES * 4,
        *(letter for letter in LETTERS if letter not in LEAVES),
        "ctrl+p",
        "ctrl+s",
        "ctrl+z",
        "ctrl+y",
    ]


async def session(case: Path, chance: random.Random, until: float, counts: dict[str, int]) -> None:
    """One opening of a case; ends by itself now and then, so that starts are tried too."""
    app = StomionApp([case], ground=chance.choice(("reef-night", "reef-day")))
    trail: list[str] = []
    try:
        async with app.run_test(size=_size(chance)) as pilot:
            for _ in range(chance.randint(40, 400)):
                if time.monotonic() > until:
                    return
                if chance.random() < 0.06:
                    size = _size(chance)
                    trail.append(f"{size[0]}x{size[1]}")
                    counts["sizes"] += 1
                    await pilot.resize_terminal(*size)
                elif chance.random() < 0.03:
                    place = chance.randrange(app.size.width), chance.randrange(app.size.height)
                    trail.append(f"click {place}")
                    await pilot.click(offset=place)
                elif chance.random() < 0.01:
                    trail.append("evidence changes")
                    _change(case, chance)
                else:
                    key = chance.choice(keys())
                    trail.append(key)
                    counts["keys"] += 1
                    await pilot.press(key)
                if chance.random() < 0.2:
                    await pilot.pause(0.01)
    except Exception:
        counts["errors"] += 1
        print(f"-- {case.name}, after: {' '.join(trail[-40:])}")
        traceback.print_exc(limit=-6)


def _size(chance: random.Random) -> tuple[int, int]:
    low = chance.random() < 0.3
    return chance.randint(LEAST[0], 60 if low else MOST[0]), chance.randint(LEAST[1], 12 if low else MOST[1])


def _change(case: Path, chance: random.Random) -> None:
    """What may happen to evidence that is being looked at: it grows, is cut, vanishes, or comes back."""
    files = [path for path in case.rglob("*") if path.is_file() and ".stomion" not in path.parts]
    if not files:
        return
    path = chance.choice(files)
    kind = chance.choice(("grows", "is cut", "vanishes"))
    if kind == "grows":
        with path.open("ab") as stream:
            stream.write(b"2026-05-04T09:59:00Z ike: no proposal chosen, peer 198.51.100.9\n")
    elif kind == "is cut":
        path.write_bytes(path.read_bytes()[: chance.randrange(1 + path.stat().st_size)])
    else:
        path.unlink()


def _odd_cases(place: Path) -> list[Path]:
    empty, long = place / "empty", place / "long"
    empty.mkdir()
    shutil.copytree(demo_folder(), long)
    for sheet in (long / "sites").iterdir():
        name = (
            "a name of a tunnel that is longer than any line of any terminal and has [bold]wide[/] letters 海底トンネル"
            * 2
        )
        sheet.write_text(sheet.read_text().replace('name = "', f'name = "{name} '))
    return [empty, long]


def main() -> None:
    """Run until the time is over."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--minutes", type=float, default=10)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    parser.add_argument("cases", nargs="*", type=Path, metavar="CASE")
    args = parser.parse_args()
    chance, counts = random.Random(args.seed), {"keys": 0, "sizes": 0, "errors": 0}
    until = time.monotonic() + 60 * args.minutes
    while time.monotonic() < until:
        with tempfile.TemporaryDirectory() as folder:
            place = Path(folder)
            demo = place / "demo"
            shutil.copytree(demo_folder(), demo)
            cases = [Path(shutil.copytree(case, place / case.name)) for case in args.cases] or [
                demo,
                demo,
                *_odd_cases(place),
            ]
            asyncio.run(session(chance.choice(cases), chance, until, counts))
    print(f"seed {args.seed}: {counts['keys']:,} keys, {counts['sizes']:,} sizes, {counts['errors']} errors")
    sys.exit(1 if counts["errors"] else 0)


if __name__ == "__main__":
    main()
