"""What a trial is: one test as a text tells of it."""

from __future__ import annotations

from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Probe:
    """One probe of a ping: its number, whether it was answered, its moment in seconds since 1970 UTC where the text tells it, the
    round trip in ms, and its line."""

    seq: int
    answered: bool
    at: float | None
    rtt_ms: float | None
    line: int


@dataclass(slots=True)
class Trial:
    """`to` is an address (a name where nothing resolved it), `source` an address or a name where the text tells one; `error` is in the
    words of records. `line` is where its outcome stands, `lines` all that it was read from."""

    to: str
    service: str
    sent: int = 0
    received: int = 0
    error: str = ""
    source: str = ""
    at: float | None = None
    line: int = 0
    probes: tuple[Probe, ...] = ()
    lines: set[int] = field(default_factory=set)
    size: int = 0
    """Bytes of each packet, its IP header included, where the text tells it."""
