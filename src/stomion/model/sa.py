"""A pair of SAs at one end, as a table, a log or a reading of its counters shows it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from stomion.model.provenance import Provenance


class SaState(StrEnum):
    """One vocabulary for every make's words."""

    NEGOTIATING = "negotiating"
    UP = "up"
    REKEYING = "rekeying"
    CLOSING = "closing"
    DOWN = "down"
    IDLE = "idle"


@dataclass(frozen=True, slots=True)
class State:
    """An SA of one direction as a system lists it: from `src` to `dst`; counts since it was made. `reqid` ties the two directions."""

    site: str
    src: str
    dst: str
    spi: str
    reqid: int
    where: Provenance
    encryption: str = ""
    integrity: str = ""
    udp: bool = False
    packets: int | None = None
    bytes: int | None = None
    replay: int = 0
    integrity_failed: int = 0


@dataclass(frozen=True, slots=True)
class Drop:
    """A count of packets that a whole gateway threw away for one cause, since it was started: `replay`, `integrity`, `no_sa`, `selector`,
    `overflow` …, or of one link (`dev`): `link-errors`, `link-dropped`."""

    site: str
    cause: str
    count: int
    where: Provenance
    dev: str = ""


@dataclass(frozen=True, slots=True)
class Sa:
    """One pair: SPIs in hexadecimal, empty where not known; moments in seconds since 1970 UTC; spans in seconds; packets and bytes since
    it was made. None and empty stand for what nobody tells. `at` is the moment of which the rest speaks, `words` the source's own word for
    the state."""

    site: str
    spi_in: str = ""
    spi_out: str = ""
    encryption: str = ""
    integrity: str = ""
    group: str = ""
    encapsulation: str = ""
    up_since: float | None = None
    at: float | None = None
    age_s: float | None = None
    rekey_in_s: float | None = None
    expires_in_s: float | None = None
    packets_in: int | None = None
    packets_out: int | None = None
    bytes_in: int | None = None
    bytes_out: int | None = None
    state: SaState | None = None
    words: str = ""
    where: Provenance | None = None
