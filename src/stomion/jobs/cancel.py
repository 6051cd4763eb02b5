"""Stopping a job that is under way. Light on purpose: both fronts have it before anything is read."""

from __future__ import annotations

from dataclasses import dataclass

from stomion.errors import Cancelled


@dataclass(slots=True)
class CancelToken:
    """Set by whoever started a job; looked at once per batch."""

    cancelled: bool = False

    def check(self) -> None:
        """Raises Cancelled where the job was stopped."""
        if self.cancelled:
            raise Cancelled
