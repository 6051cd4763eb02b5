"""Stomion records: one JSON object a line (docs/formats.md). Only the fields used so far are typed; others pass."""

from __future__ import annotations

from typing import Annotated, Any

import msgspec

Count = Annotated[int, msgspec.Meta(ge=0, le=(1 << 63) - 1)]
"""Packets or bytes: no counter has more than 63 bits in use."""
LARGE = 1_000
"""Bytes from which on a probe's size matters to how it fares."""
# Records are not looked at by the collector (`gc=False`): nothing circular comes out of JSON, and there may be millions.


class TestRecord(msgspec.Struct, frozen=True, gc=False, tag_field="kind", tag="test"):
    """A traffic test: `sent` probes, `received` answers; `expected` says what ought to happen."""

    __test__ = False
    at: str
    source: str = msgspec.field(name="from")
    to: str = ""
    service: str = ""
    sent: int = 0
    received: int = 0
    error: str = ""
    expected: str = "reach"
    size: int = 0
    """Bytes of the packets sent, their IP header included; 0 where nobody tells."""


class CounterRecord(msgspec.Struct, frozen=True, gc=False, tag_field="kind", tag="counters"):
    """One reading of a Child SA's counters at one site; `spi_in`/`spi_out` are hexadecimal."""

    at: str
    site: str
    spi_in: str = ""
    spi_out: str = ""
    packets_in: Count = 0
    bytes_in: Count = 0
    packets_out: Count = 0
    bytes_out: Count = 0
    tunnel: str = ""
    local_ts: tuple[str, ...] = ()
    remote_ts: tuple[str, ...] = ()
    ike_spi_i: str = ""
    ike_spi_r: str = ""
    errors: dict[str, Any] | None = None
    """Packets thrown away, by why: `replay`, `integrity`, `no_sa`, `selector`, `overflow`."""
    encryption: str | None = None
    integrity: str | None = None
    group: int | str | None = None
    encapsulation: str | None = None
    age_s: float | None = None
    rekey_in_s: float | None = None
    expires_in_s: float | None = None


class PingRecord(msgspec.Struct, frozen=True, gc=False, tag_field="kind", tag="ping"):
    """One probe of a continuous ping; `rtt_ms` is null where it was lost."""

    at: str
    source: str = msgspec.field(name="from")
    to: str = ""
    seq: int = 0
    rtt_ms: float | None = None


NEIGHBOUR_UP, NEIGHBOUR_DOWN, NEIGHBOUR_FORMING = "neighbour-up", "neighbour-down", "neighbour-forming"
"""What an event tells of a routing protocol's neighbour (`subject` is its address): it stands, it is gone, it is on the way."""

NEIGHBOUR_EVENTS = (NEIGHBOUR_UP, NEIGHBOUR_DOWN, NEIGHBOUR_FORMING)


class EventRecord(msgspec.Struct, frozen=True, gc=False, tag_field="kind", tag="event"):
    """Something that happened at a site: a link, a route, a rule, a peer, a routing neighbour."""

    at: str
    what: str
    site: str = ""
    subject: str = ""
    detail: str = ""


Record = TestRecord | CounterRecord | PingRecord | EventRecord
