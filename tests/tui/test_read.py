"""The screen of what was read, not read and not used; and the opening screen's use of free lines."""

from __future__ import annotations

from pathlib import Path

from driving import ready, text_of
from stomion.jobs.demo import demo_folder
from stomion.tui.app import StomionApp
from stomion.tui.widgets.lines import Lines


async def test_what_was_not_read_and_not_used_stands_first_and_opens(tmp_path: Path) -> None:
    (tmp_path / "quayhead").mkdir()
    (tmp_path / "quayhead" / "blob.bin").write_bytes(bytes(range(200, 250)) * 20)
    (tmp_path / "quayhead" / "ike.log").write_text(
        "2026-05-04T09:14:00Z quayhead vpnd: phase 1 with 192.0.2.10 as initiator failed: no proposal chosen\n"
    )
    (tmp_path / "quayhead" / "tests.jsonl").write_text('{"kind":"test"\n')
    app = StomionApp([tmp_path])
    async with app.run_test(size=(120, 40)) as pilot:
        await ready(pilot)
        await pilot.press("0")
        await pilot.pause()
        shown = text_of(app)
        assert "not read" in shown and "blob.bin" in shown and "quayhead/tests.jsonl:1" in shown
        assert shown.index("not read") < shown.index("understood")
        assert "1 lines" in shown or "1 line" in shown
        lines = app.screen.query_one(Lines)
        while "quayhead/ike.log" not in app.screen.copied():  # type: ignore[attr-defined]
            before = lines.row
            lines.action_move(1)
            assert lines.row != before
        await pilot.press("enter")
        await pilot.pause(0.3)
        assert app.place == "evidence" and "as initiator failed" in text_of(app)
        await pilot.press("escape")
        await pilot.pause()
        assert app.place == "read"


async def test_free_lines_hold_the_neighbours_sentences() -> None:
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(150, 60)) as pilot:
        await ready(pilot)
        tall = text_of(app)
        # Once in its row, cut; once below in full.
        assert "Driftwood could not make sense of Quayhead's first encrypted message" in tall
        assert "Quayhead – Driftwood" in tall
    app = StomionApp([demo_folder()])
    async with app.run_test(size=(150, 30)) as pilot:
        await ready(pilot)
        assert "Quayhead – Driftwood" not in text_of(app)
