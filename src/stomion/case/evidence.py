"""Everything read from one case folder, before anything is concluded from it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Generic, TypeVar

from stomion.listings.reader import Listed
from stomion.logs.phrasebook import Phrase
from stomion.measure.esporder import Track
from stomion.measure.series import CounterSeries
from stomion.model.datagrams import Datagrams
from stomion.model.event import Event
from stomion.model.packet import Unreachable
from stomion.model.provenance import NotRecognised, Problem, Provenance
from stomion.model.record import EventRecord, PingRecord, TestRecord
from stomion.model.relation import Relation
from stomion.model.sa import Drop, State
from stomion.model.site import SiteSheet
from stomion.model.tables import Tables
from stomion.wire.ike.keys import IkeKeys
from stomion.wire.tcpstream import TcpStreams

Record = TypeVar("Record")


@dataclass(frozen=True, slots=True)
class Placed(Generic[Record]):
    """A record and where it stands."""

    record: Record
    file: str
    line: int

    def where(self, site: str | None) -> Provenance:
        """Its place, as proof of what happened at a site."""
        return Provenance(self.file, site, line=self.line)


@dataclass(slots=True)
class EspFlow:
    """ESP packets of one SPI between two addresses as one capture saw them."""

    src: str
    dst: str
    spi: str
    packets: int
    first: float
    last: float
    unsized: int = 0
    """Packets of further sizes than are told apart."""
    sizes: dict[int, int] = field(default_factory=dict)
    """Bytes of the ESP packet -> how many there were."""
    track: Track = field(default_factory=Track, repr=False)
    """The packets one by one."""


@dataclass(frozen=True, slots=True)
class Source:
    """One file: `kind` is what its content was recognised as, `used` whether anything is concluded from it yet."""

    file: str
    site: str | None
    kind: str
    size: int
    used: bool = True
    count: int = 0
    unit: str = ""


@dataclass(slots=True)
class Capture:
    """What one capture file held: UDP datagrams of IKE, refusals by ICMP, and counts of ESP."""

    file: str
    site: str | None
    datagrams: Datagrams = field(default_factory=Datagrams)
    unreachables: list[Unreachable] = field(default_factory=list)
    esp: dict[tuple[str, str, str], EspFlow] = field(default_factory=dict)
    packets: int = 0
    cuts: list[str] = field(default_factory=list)
    """What of it was over a bound and left out, with counts."""
    streams: TcpStreams = field(default_factory=TcpStreams, repr=False)


@dataclass(slots=True)
class Log:
    """What one log held: events in the order of its lines."""

    file: str
    site: str | None
    lines: int = 0
    events: list[Event] = field(default_factory=list)
    looked_at: int = 0
    """Lines with a word of the trade: those that were read closely."""


@dataclass(slots=True)
class Evidence:
    """All of a case. Files are named relative to `root`, which is kept to open a place again on request."""

    root: str = ""
    title: str = ""
    written: dict[str, str] = field(default_factory=dict)
    """Names as the file system has them, of files that are shown by another name: what is not UTF-8 in it, or steers a terminal."""
    sources: list[Source] = field(default_factory=list)
    captures: list[Capture] = field(default_factory=list)
    logs: list[Log] = field(default_factory=list)
    sheets: list[SiteSheet] = field(default_factory=list)
    sheet_lines: dict[str, str] = field(default_factory=dict)
    models: list[tuple[str, SiteSheet]] = field(default_factory=list)
    """(file, what it declares) of YANG data, before it is joined with the sites' sheets."""
    tests: list[Placed[TestRecord]] = field(default_factory=list)
    counters: list[CounterSeries] = field(default_factory=list)
    pings: list[Placed[PingRecord]] = field(default_factory=list)
    states: list[State] = field(default_factory=list)
    """SAs as the operating systems list them, direction by direction."""
    listed: list[Listed] = field(default_factory=list)
    """SAs as gateways' own listings show them."""
    drops: list[Drop] = field(default_factory=list)
    """What whole gateways threw away, reading by reading."""
    happenings: list[Placed[EventRecord]] = field(default_factory=list)
    addresses: dict[str, set[str]] = field(default_factory=dict)
    networks: dict[str, set[str]] = field(default_factory=dict)
    declared: list[tuple[str, tuple[str, str]]] = field(default_factory=list)
    expects: list[tuple[str, str, str, str, int]] = field(default_factory=list)
    """(from, to, service, outcome, line) of the flows that case.toml expects."""
    relations: list[Relation] = field(default_factory=list)
    vantages: dict[str, tuple[str, ...]] = field(default_factory=dict)
    """Commands by which case.toml lets tests be run elsewhere, by the name of the source; empty for this machine."""
    keys: tuple[IkeKeys, ...] = ()
    phrases: list[Phrase] = field(default_factory=list)
    tables: dict[tuple[str, str], Tables] = field(default_factory=dict)
    """The operating system's tables by (site, host); the host is empty for the gateway."""
    not_recognised: list[NotRecognised] = field(default_factory=list)
    problems: list[Problem] = field(default_factory=list)
