"""What an end of a stand-in tunnel counts, and readings of it as records."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import UTC, datetime

from stomion.standin.configuration import Session


@dataclass(slots=True)
class Counter:
    """The packets one end has put into and taken out of its Child SAs, per SPI pair, with readings of it."""

    site: str
    tunnel: str
    local: str
    remote: str
    session: Session | None = None
    out: int = 0
    back: int = 0
    readings: list[dict[str, object]] = field(default_factory=list)

    def fresh(self, session: Session) -> None:
        """A new Child SA begins at zero."""
        self.session, self.out, self.back = session, 0, 0

    def read(self, at: float) -> None:
        """Note the state at a moment."""
        if self.session is None:
            return
        self.readings.append(
            {
                "kind": "counters",
                "at": rfc3339(at),
                "site": self.site,
                "tunnel": self.tunnel,
                "spi_in": self.session.spi_in.hex(),
                "spi_out": self.session.spi_out.hex(),
                "packets_in": self.back,
                "bytes_in": self.back * 84,
                "packets_out": self.out,
                "bytes_out": self.out * 84,
                "local_ts": [self.local],
                "remote_ts": [self.remote],
                "encapsulation": "udp",
                "encryption": "AES-CBC-256",
                "integrity": "HMAC-SHA2-256-128",
            }
        )


def rfc3339(at: float) -> str:
    """A moment as records write it."""
    return datetime.fromtimestamp(round(at, 3), UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
