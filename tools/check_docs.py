"""What can be checked of the documentation: generated pages are current, links and pictures exist, commands are real."""

from __future__ import annotations

import re
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))
from make_docs import stale
from stomion.cli.main import _COMMANDS

ROOT = Path(__file__).resolve().parent.parent
LINK = re.compile(r"\]\((?!https?:|#)([^)#\s]+)")
COMMAND = re.compile(r"^\s*stomion ([a-z]+)\b", re.MULTILINE)


def main() -> None:
    troubles = [f"{name}: stale, run tools/make_docs.py" for name in stale()]
    pages = [*ROOT.glob("*.md"), *(ROOT / "docs").rglob("*.md")]
    for page in pages:
        text = page.read_text()
        for target in LINK.findall(text):
            if not (page.parent / target).exists():
                troubles.append(f"{page.relative_to(ROOT)}: {target} does not exist")
        for name in COMMAND.findall(text):
            if name not in _COMMANDS:
                troubles.append(f"{page.relative_to(ROOT)}: there is no command {name}")
    readme = (ROOT / "README.md").read_text()
    for command in ("make demo", "make test"):
        if command not in readme:
            troubles.append(f"README.md: {command} is not named")
    sys.exit("\n".join(troubles) if troubles else 0)


if __name__ == "__main__":
    main()
