"""The seam as data: one line between two sites through the ten stages, and how each stretch of it is drawn."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from stomion.model.finding import PATH, STAGES, Stage, Status, Verdict

if TYPE_CHECKING:
    from stomion.diagnosis.runner import Diagnosis


class Stretch(StrEnum):
    """How one stage's stretch of the line looks. A break lies on the side of the end that must change."""

    WHOLE = "whole"
    DOUBT = "doubt"
    UNSEEN = "unseen"
    ABSENT = "absent"
    BREAK_LEFT = "break at the left end"
    BREAK_RIGHT = "break at the right end"
    BREAK_MIDDLE = "break in the middle"


BREAKS = (Stretch.BREAK_LEFT, Stretch.BREAK_RIGHT, Stretch.BREAK_MIDDLE)


@dataclass(frozen=True, slots=True)
class Seam:
    """`left_changes`/`right_changes` mark the ends to call; `left_known` is False for an end that gave no evidence."""

    left: str
    right: str
    stretches: tuple[tuple[Stage, Stretch], ...]
    left_changes: bool
    right_changes: bool
    path_changes: bool
    left_known: bool
    right_known: bool
    status: Status
    says: str

    def stretch(self, stage: Stage) -> Stretch:
        """The stretch of one stage."""
        return self.stretches[STAGES.index(stage)][1]


def seam_of(diagnosis: Diagnosis) -> Seam:
    """The seam of a tunnel."""
    picture, first = diagnosis.picture, diagnosis.first_fault
    sides = set(first.sides) if first else set()
    left, right = picture.left.site in sides, picture.right.site in sides
    stretches = []
    for verdict in diagnosis.stages:
        stretch = _break(left, right) if first and verdict.stage is first.stage else _PLAIN[verdict.whole]
        stretches.append((verdict.stage, stretch))
    return Seam(
        left=picture.left.title,
        right=picture.right.title,
        stretches=tuple(stretches),
        left_changes=left,
        right_changes=right,
        path_changes=PATH in sides,
        left_known=picture.left.given,
        right_known=picture.right.given,
        status=diagnosis.status,
        says=first.summary if first else quiet_words(diagnosis),
    )


_PLAIN = {
    Verdict.PASS: Stretch.WHOLE,
    Verdict.CAUTION: Stretch.DOUBT,
    Verdict.FAULT: Stretch.DOUBT,
    Verdict.UNSEEN: Stretch.UNSEEN,
    Verdict.UNREACHED: Stretch.ABSENT,
}


def _break(left: bool, right: bool) -> Stretch:
    if left and not right:
        return Stretch.BREAK_LEFT
    return Stretch.BREAK_RIGHT if right and not left else Stretch.BREAK_MIDDLE


def quiet_words(diagnosis: Diagnosis) -> str:
    """What to say of a tunnel without a fault."""
    picture = diagnosis.picture
    rekeys = max(max(len(e.story.children) - 1, 0) for e in picture.ends)
    if diagnosis.status is Status.WORKING:
        return "Carries traffic" + (
            f"; rekeyed {rekeys} times." if rekeys > 1 else "; rekeyed once." if rekeys else "."
        )
    if diagnosis.status is Status.IDLE:
        return "Idle: it starts with traffic, and there was none."
    unexplained = next((f for f in diagnosis.findings if f.code == "test-fails-unexplained"), None)
    if unexplained is not None:
        return unexplained.summary
    if any(e.story.child_up for e in picture.ends):
        return "The Child SA is up; nothing proves that it carries traffic."
    return "Nothing wrong was seen, and nothing proves that it works."


TEXT = {Stretch.WHOLE: "━", Stretch.DOUBT: "╍", Stretch.UNSEEN: "┈", Stretch.ABSENT: " "}


def stretch_text(stretch: Stretch, width: int) -> tuple[tuple[str, str], ...]:
    """A stretch as (text, tone) pieces of `width` columns in all; tones are `proven`, `doubt`, `faint`, `change`."""
    if stretch in TEXT:
        tone = {Stretch.WHOLE: "proven", Stretch.DOUBT: "doubt"}.get(stretch, "faint")
        return ((TEXT[stretch] * width, tone),)
    before = {Stretch.BREAK_LEFT: 0, Stretch.BREAK_MIDDLE: (width - 2) // 2, Stretch.BREAK_RIGHT: width - 3}[stretch]
    before = max(0, before)
    return (("━" * before, "proven"), ("╱╱", "change"), (" " * max(0, width - before - 2), "faint"))
