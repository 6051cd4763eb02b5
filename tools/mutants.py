"""Mutation testing: small changes in the code that everything rests on, and whether the tests of that area notice them (`make mutants`).

python tools/mutants.py [AREA ...]     areas: see AREAS; all of them without a name. Not a part of the tests: it takes an hour or more.

Each area is mutated in a copy of the project in a folder of its own; nothing here is changed. The last lines are the share of killed
mutants by area, and the survivors by function.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections import Counter
from functools import partial
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
WANTED = 0.85
AREAS: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "crypto": (("src/stomion/crypto",), ("tests/crypto",)),
    "space": (("src/stomion/space",), ("tests/space", "tests/crypto", "tests/walk/test_order.py")),
    "walk": (
        tuple(f"src/stomion/walk/{n}.py" for n in ("chains", "hooks", "routing", "gateway", "journey", "pieces")),
        tuple(f"tests/walk/test_{n}.py" for n in ("told", "order", "ways", "oracle", "walk")),
    ),
    "exchange": (
        tuple(f"src/stomion/exchange/{n}.py" for n in ("automaton", "negotiation", "clock", "story")),
        ("tests/exchange", "tests/tunnel", "tests/wire/test_opening.py"),
    ),
    "tunnel": (
        tuple(f"src/stomion/tunnel/{n}.py" for n in ("build", "ends", "index", "lans", "up", "settings")),
        ("tests/tunnel", "tests/diagnosis/test_findings.py"),
    ),
    "logs": (
        tuple(f"src/stomion/logs/{n}.py" for n in ("timestamps", "understand", "classify", "reader")),
        ("tests/logs",),
    ),
}
"""What is mutated, and the tests that have to notice."""


def configured(folder: Path, sources: tuple[str, ...], tests: tuple[str, ...]) -> None:
    """A copy of the project that mutates these sources under these tests."""
    for name in ("src", "tests"):
        shutil.copytree(ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
    rows = [
        "[tool.mutmut]",
        f"source_paths = {list(sources)!r}",
        'also_copy = ["tests", "src/stomion"]',
        'pytest_add_cli_args = ["-q", "-x", "-p", "no:randomly", "-p", "no:xdist"]',
        f"pytest_add_cli_args_test_selection = {list(tests)!r}",
    ]
    project = (ROOT / "pyproject.toml").read_text() + "\n" + "\n".join(rows) + "\n"
    (folder / "pyproject.toml").write_text(project)


def run(area: str) -> tuple[int, int, Counter[str]]:
    """(killed, all, survivors by function) of one area."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        configured(folder, *AREAS[area])
        env = {**os.environ, "STOMION_EXAMPLES": "30"}
        command = [str(Path(sys.executable).parent / "mutmut")]
        asked = partial(subprocess.run, cwd=folder, env=env, capture_output=True, text=True, check=False)
        asked([*command, "run", "--max-children", str(os.cpu_count() or 1)])
        said = asked([*command, "results", "--all", "true"])
    return tally(said.stdout)


def tally(text: str) -> tuple[int, int, Counter[str]]:
    """Count what `mutmut results` lists: a mutant that no test runs has survived as well."""
    found = re.findall(r"^\s*(\S+): (.+)$", text, re.M)
    killed = sum(1 for _, state in found if state in ("killed", "timeout", "segfault"))
    left = Counter(re.sub(r"__mutmut_\d+$", "", name) for name, state in found if state in ("survived", "no tests"))
    return killed, killed + sum(left.values()), left


def main() -> None:
    low = False
    for area in sys.argv[1:] or AREAS:
        killed, every, left = run(area)
        share = killed / every if every else 0.0
        low |= share < WANTED
        print(f"{area:10} {killed:5} of {every:5} killed, {share:.0%}", flush=True)
        for name, count in left.most_common(25):
            print(f"    {count:3} {name}")
    sys.exit(1 if low else 0)


if __name__ == "__main__":
    main()
