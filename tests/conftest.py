"""Shared fixtures: the demo case, and small cases written from a few lines of log."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import settings

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
def case(tmp_path: Path) -> Callable[[dict[str, str | bytes]], Examined]:
    """Write files by their names into a case folder and examine it."""

    def build(files: dict[str, str | bytes]) -> Examined:
        root = tmp_path / "case"
        for name, content in files.items():
            path = root / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(content.encode() if isinstance(content, str) else content)
        root.mkdir(exist_ok=True)
        return examine([root])

    return build
