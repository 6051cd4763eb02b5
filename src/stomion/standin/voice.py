"""What all stand-in gateways have: a name, an address, an identity, chance of their own, a clock's error, and a log."""

from __future__ import annotations

from stomion.standin.chance import Chance
from stomion.standin.dialects import Dialect
from stomion.standin.network import Network


class Voice:
    """`offset` is the error of its clock in seconds; `lines` is its log."""

    def __init__(
        self,
        name: str,
        address: str,
        identity: str,
        dialect: Dialect,
        seed: str,
        offset: float = 0.0,
        lines: list[str] | None = None,
    ) -> None:
        self.name, self.address, self.identity = name, address, identity
        self.dialect, self.offset = dialect, offset
        self.chance = Chance(seed, name, type(self).__name__)
        self.lines: list[str] = [] if lines is None else lines

    def say(self, net: Network, event: str, **fields: object) -> None:
        """Write a log line, if its make has words for the event."""
        line = self.dialect.line(net.now + self.offset, self.name, event, fields)
        if line is not None:
            self.lines.append(line)
