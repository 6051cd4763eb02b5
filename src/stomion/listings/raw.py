"""A record of a listing as it stands: keys and values, before anything is made of them."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(slots=True)
class Raw:
    """`pairs` are (key with the words it stands under, value), in their order; `head` is the line above them. `line` is 0 for an object of
    JSON, of which `entry` counts."""

    line: int
    head: str = ""
    pairs: list[tuple[str, str]] = field(default_factory=list)
    entry: int | None = None
