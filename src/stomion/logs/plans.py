"""What lines of one shape say together with what was taught of them: worked out once, and filled with each line's values."""

from __future__ import annotations

from collections.abc import Callable

import msgspec
from msgspec.structs import replace

from stomion.logs.alike import UNUSABLE, Marker, Shape, filled, shape_of
from stomion.logs.guess import is_strong
from stomion.logs.understand import ENOUGH, KEPT_LENGTH, SHAPES_KEPT
from stomion.model.event import Event
from stomion.model.provenance import Provenance

Reader = Callable[[str, str, Provenance], Event | None]
"""(a whole line, the line without its time, its place) to what it says."""


class _Plan(msgspec.Struct):
    shape: Shape | None = None
    """None for lines of which one was seen so far."""
    checked: int = 0
    quiet: bool = False
    """Can none of these lines refuse anything that was not understood?"""


class Plans:
    """The shapes of one log."""

    def __init__(self, read: Reader) -> None:
        """`read` tells what a line says by its words and phrases, whatever its values are."""
        self._read = read
        self._plans: dict[str, _Plan] = {}
        self._marker = Marker()
        self.quiet = False
        """Can the line that was read last refuse nothing that was not understood?"""

    def event_of(self, line: str, rest: str, where: Provenance) -> Event | None:
        """What a line says; `rest` is without its time."""
        marked = self._marker.mark(rest) if len(rest) <= KEPT_LENGTH else None
        if marked is None:
            return self._read(line, rest, where)
        plan = self._plans.get(marked.text)
        if plan is not None and plan.shape is not None and plan.checked >= ENOUGH:
            self.quiet = plan.quiet
            return filled(plan.shape, marked, line, where)
        event = self._read(line, rest, where)
        if plan is None:
            if len(self._plans) >= SHAPES_KEPT:
                self._plans.clear()
            self._plans[marked.text] = _Plan()
        elif plan.shape is None:
            before = line[: len(line) - len(rest)] if line.endswith(rest) else ""
            plan.shape = shape_of(marked, self._read(before + marked.text, marked.text, where))
            plan.quiet = event is not None and is_strong(event)
        if plan is not None and plan.shape is not None and plan.shape.usable:
            same = _alone(filled(plan.shape, marked, line, where)) == _alone(event)
            plan.checked = plan.checked + 1 if same else 0
            plan.shape = plan.shape if same else UNUSABLE
        return event


def _alone(event: Event | None) -> Event | None:
    """An event without the text that it comes from."""
    return None if event is None else replace(event, text="")
