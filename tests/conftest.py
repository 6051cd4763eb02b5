"""Shared fixtures: the demo case, and small cases written from a few lines of log."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import settings

from proofs import hold
from stomion.jobs.demo import demo_folder
from stomion.jobs.examine import Examined, examine

# A busy machine is no failure: examples are not timed.
settings.register_profile("untimed", deadline=None)
settings.load_profile("untimed")

RECORDED = Path(__file__).parent / "recorded"


@pytest.fixture(scope="session")
def demo() -> Examined:
    return examine([demo_folder()])


@pytest.fixture
def case(tmp_path: Path, request: pytest.FixtureRequest) -> Callable[[dict[str, str | bytes]], Examined]:
    """Write files by their names into a case folder and examine it. What a test of the diagnosis builds is held in full: codes, sides,
    certainty and proof of every finding, not only what the test looks at (see proofs.py)."""
    built = 0

    def build(files: dict[str, str | bytes]) -> Examined:
        nonlocal built
        built += 1
        root = tmp_path / "case"
        for name, content in files.items():
            path = root / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content.encode() if isinstance(content, str) else content)
        root.mkdir(exist_ok=True)
        examined = examine([root])
        if request.path.parent.name in ("diagnosis", "views"):
            hold(f"{request.path.stem}::{request.node.name}" + (f" ({built})" if built > 1 else ""), examined)
        return examined

    return build
