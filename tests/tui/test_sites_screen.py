"""The screen of the sites: the table, what is said of the chosen one, and the way from it into a tunnel."""

from __future__ import annotations

from pathlib import Path

import pytest

from driving import ready, text_of
from stomion.jobs.demo import demo_folder
from stomion.jobs.drawing import draw
from stomion.jobs.examine import examine
from stomion.tui.app import StomionApp
from stomion.tui.pages import sites as page
from stomion.tui.spans import width_of
from stomion.tui.widgets.lines import Lines
from stomion.views.sites import sites_of


@pytest.mark.parametrize("size", [(150, 45), (80, 24), (40, 12)])
async def test_from_the_sites_into_a_tunnel(size: tuple[int, int]) -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=size) as pilot:
        await ready(pilot)
        await pilot.press("m")
        await pilot.pause()
        assert "Petrel" in text_of(app) or size[1] < 20
        lines = app.screen.query_one("#list", Lines)
        while "farlight-petrel" not in app.screen.copied():  # type: ignore[attr-defined]
            before = lines.row
            await pilot.press("down")
            assert lines.row != before
        if size[1] > 40:
            assert "What takes all of them down alone: Petrel's gateway." in text_of(app)
        await pilot.press("enter")
        await pilot.pause()
        assert app.place == "tunnel" and app.current is not None and app.current.picture.name == "quayhead-petrel"
        await pilot.press("escape")
        await pilot.pause()
        assert app.place == "sites"


async def test_nothing_to_join(tmp_path: Path) -> None:
    app = StomionApp([tmp_path])
    async with app.run_test(size=(100, 30)) as pilot:
        await ready(pilot)
        await pilot.press("m")
        await pilot.pause()
        assert "no two sites that are joined" in text_of(app)


@pytest.mark.parametrize("width", [30, 60, 100, 200])
def test_rows_fit_their_width(width: int) -> None:
    drawing = sites_of(examine([demo_folder()]).tunnels)
    cols = page.columns(drawing, width)
    assert all(width_of(page.row(drawing, r, cols)) <= width for r in drawing.rows)
    assert width_of(page.header(drawing, cols)) <= width


@pytest.mark.parametrize("name", ["s.svg", "s.pdf"])
def test_on_paper(tmp_path: Path, name: str) -> None:
    draw(examine([demo_folder()]), "sites", None, tmp_path / name)
    assert (tmp_path / name).stat().st_size > 4_000
