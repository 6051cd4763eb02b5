"""What can go wrong that is ours to say; families by what the caller can do about it.

    StomionError
    ├── UnreadableInput     a file, or a place in it, could not be read: report it, read on
    │   ├── Truncated       fewer bytes than a length or a format promises
    │   └── Malformed       bytes that contradict their format
    ├── UsageError          the caller asked for something impossible: say so and stop (exit 2)
    └── Cancelled           the user stopped a long job: keep what was there before

The peer's mistakes are not here: a damaged message is a value in the decoder's result.
"""

from __future__ import annotations


class StomionError(Exception):
    """Root of the tree; never raised itself."""


class UnreadableInput(StomionError):
    """`place` is a byte offset or a line, as `what` says it."""

    def __init__(self, what: str, *, place: int | None = None, expected: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.place = place
        self.expected = expected


class Truncated(UnreadableInput):
    """The input ends before its own lengths say so."""


class Malformed(UnreadableInput):
    """The input contradicts its own format."""


class UsageError(StomionError):
    """Asked for something that can't be done; the text names it."""


class Cancelled(StomionError):
    """A long job was stopped by the user."""
