"""Driving the screens in tests: wait until the case is read, and read the screen as text."""

from __future__ import annotations

from collections.abc import Callable

from textual.pilot import Pilot

from stomion.tui.app import StomionApp


def text_of(app: StomionApp) -> str:
    """Everything on the screen as plain text."""
    size = app.size
    lines = app.screen._compositor.render_strips(size=size)
    return "\n".join("".join(segment.text for segment in strip) for strip in lines)


async def ready(pilot: Pilot[None]) -> None:
    """Until the case is read and the screen has settled."""
    for _ in range(200):
        await pilot.pause(0.02)
        if pilot.app.examined is not None:  # type: ignore[attr-defined]
            break
    await pilot.pause()


async def until(pilot: Pilot[None], holds: Callable[[], bool]) -> None:
    """Until something holds, ten seconds at most."""
    for _ in range(500):
        if holds():
            break
        await pilot.pause(0.02)
    assert holds(), text_of(pilot.app)  # type: ignore[arg-type]
