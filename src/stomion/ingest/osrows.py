"""What the readers of the operating system's JSON tables share: values of a row, and the bound on rows."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from stomion.ingest.stoppable import steps

MAX_RULES = 200_000
"""Entries of one table."""


def within(rows: list[Any]) -> Iterator[Any]:
    """The rows of a table that are read: those within the bound."""
    return steps(rows[:MAX_RULES])


def over_bound(count: int) -> list[str]:
    """What to say of a table with so many entries."""
    return [f"{count - MAX_RULES:,} entries beyond the first {MAX_RULES:,} are not read"] if count > MAX_RULES else []


def number_of(row: dict[str, Any], key: str) -> int | None:
    """A number, written as one or as text (`0x64`); None where it is neither."""
    try:
        return int(text_of(row, key), 0)
    except ValueError:
        return None


def text_of(row: Any, key: str) -> str:
    """A name or a number as text; empty where it is something else."""
    value = row.get(key) if isinstance(row, dict) else None
    return str(value) if isinstance(value, str | int) and not isinstance(value, bool) else ""
