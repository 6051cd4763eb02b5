"""One picture per tunnel: both ends with what each said, what the wire showed, and what the sheets declare."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from stomion.exchange.clock import ClockOffset
from stomion.exchange.negotiation import Negotiation
from stomion.exchange.story import Refusal, Story
from stomion.measure.counters import Readings
from stomion.measure.esporder import Order
from stomion.measure.series import CounterSeries
from stomion.model.event import Event, What
from stomion.model.packet import Unreachable
from stomion.model.proposal import Proposal
from stomion.model.provenance import Problem, Provenance
from stomion.model.record import LARGE
from stomion.model.sa import Sa
from stomion.model.site import SheetTunnel
from stomion.model.tables import Tables
from stomion.space.ranges import PRIVATE, common


@dataclass(frozen=True, slots=True)
class LanTest:
    """A traffic test between the two sites: from which end's LAN, whether it got through, and when."""

    from_left: bool
    passed: bool
    expected: bool
    at: float | None
    where: Provenance
    service: str
    source: str = ""
    to: str = ""
    """Addresses; the source's is empty where only its site is known."""
    who: str = ""
    """The source as the record names it."""
    error: str = ""
    seen: bool = True
    """False for a flow that case.toml expects and nobody tested."""
    sent: int = 1
    received: int = 0
    """Probes and answers."""
    continuous: bool = False
    """Is it a continuous ping, of which the end counts?"""
    asked: str = ""
    """What was expected of a whole range, where this flow is one packet of it."""
    size: int = 0
    """Bytes of its packets with their IP header; 0 where nobody tells."""

    @property
    def key(self) -> tuple[str, str, str, int]:
        """What tests of the same thing share: host, target, service, and the size of large probes."""
        return self.who, self.to, self.service, self.size if self.size >= LARGE else 0


@dataclass(frozen=True, slots=True)
class LinkEvent:
    """A link that went down or came up, at an end, or elsewhere on the way (`site` is then no end's)."""

    site: str
    up: bool
    at: float | None
    where: Provenance
    subject: str = ""


@dataclass(frozen=True, slots=True)
class Change:
    """Something that was changed at an end: a rule by its name (`rule-changed`), a route, a configuration. `at` is when it came into force;
    what was only saved has `pending` set."""

    site: str
    at: float | None
    where: Provenance
    subject: str
    detail: str = ""
    what: str = "rule-changed"
    pending: bool = False


@dataclass(frozen=True, slots=True)
class Adjacency:
    """A routing protocol's neighbour that an end has through the tunnel; `changes` is what was told of it, in the order of its moments."""

    site: str
    address: str
    changes: tuple[Change, ...]

    @property
    def last(self) -> Change:
        """How it stood last."""
        return self.changes[-1]


@dataclass(frozen=True, slots=True)
class PingSeries:
    """A continuous ping between the two sites, in the order of its probes; `where` is its first lost probe's record."""

    source: str
    to: str
    from_left: bool
    answered: tuple[bool, ...]
    times: tuple[float | None, ...]
    where: Provenance
    address: str = ""
    """The source's address, where its host's tables or its name tell it."""
    numbers: tuple[int, ...] = ()
    """The probes' own numbers."""


@dataclass(frozen=True, slots=True)
class EspSeen:
    """ESP packets of one direction as the two ends' captures hold them, by their sizes in bytes; `got` is None where the
    receiving end captured nothing at all. `files` are the captures, the sender's first."""

    from_left: bool
    sent: dict[int, int]
    got: dict[int, int] | None
    files: tuple[str, ...]
    order: Order = field(default_factory=Order)
    """What of it arrived changed or late, packet by packet."""


@dataclass(frozen=True, slots=True)
class Dropped:
    """Packets that an end threw away for one cause (see model.sa.Drop), by a list of its SAs (`own`) or by the whole gateway's counts; the
    rise between two readings where there are two (`risen`), else since the count began."""

    cause: str
    count: int
    where: Provenance
    own: bool = False
    risen: bool = False
    dev: str = ""


@dataclass(frozen=True, slots=True)
class End:
    """One end of a tunnel. `given` tells whether any evidence was taken at this end; without it all is inferred."""

    site: str
    addresses: frozenset[str] = frozenset()
    networks: frozenset[str] = frozenset()
    assumed: frozenset[str] = frozenset()
    """Addresses that its peer takes for its own, and nothing of the end itself confirms."""
    sheet: SheetTunnel | None = None
    sheet_file: str = ""
    sheet_line: int = 1
    sheet_lines: Mapping[str, int] = field(default_factory=dict)
    """Lines of the parts of this tunnel in the sheet, by their path within it: `local_id`, `ike_proposal.0.encryption`."""
    events: tuple[Event, ...] = ()
    story: Story = field(default_factory=Story)
    has_log: bool = False
    mute_logs: tuple[str, ...] = ()
    """Logs of which no line was understood: they say nothing for or against this end."""
    rivals: tuple[str, ...] = ()
    """Other tunnels of this end to the same public address; see tunnel.rivals."""
    open_lines: tuple[Provenance, ...] = ()
    """Lines about that address that may be of either."""
    captures: tuple[str, ...] = ()
    has_counters: bool = False
    out_packets: int = 0
    in_packets: int = 0
    readings: Readings = field(default_factory=Readings)
    series: tuple[CounterSeries, ...] = ()
    """The tunnel's counters, and the columns of the files that they were read from."""
    sas: tuple[Sa, ...] = ()
    """Its SA pairs, newest first; see tunnel.sas."""
    dropped: tuple[Dropped, ...] = ()
    """What it is known to have thrown away; see tunnel.dropped."""
    ike_proposals: tuple[Proposal, ...] = ()
    child_proposals: tuple[Proposal, ...] = ()
    tables: Tables | None = None
    hosts: Mapping[str, Tables] = field(default_factory=dict)
    worked_out: dict[str, object] = field(default_factory=dict, init=False, compare=False, repr=False)
    """What was worked out of this end and another one; see tunnel.flows."""

    @property
    def given(self) -> bool:
        return self.has_log or bool(self.captures) or self.has_counters

    @property
    def sheet_place(self) -> Provenance | None:
        """Where this tunnel stands in the end's sheet."""
        return Provenance(self.sheet_file, self.site, line=self.sheet_line) if self.sheet_file else None

    def sheet_at(self, *keys: str) -> Provenance | None:
        """Where a value of this tunnel stands in the end's sheet: the first of some keys that has a line, else the tunnel itself."""
        for key in keys:
            while key:
                if key in self.sheet_lines:
                    return Provenance(self.sheet_file, self.site, line=self.sheet_lines[key])
                key = key.rpartition(".")[0]
        return self.sheet_place

    @property
    def title(self) -> str:
        """The site's name as people write it; addresses stay as they are."""
        if self.site[:1].isdecimal():
            return self.site
        return " ".join(word[:1].upper() + word[1:] for word in self.site.split("-"))

    @property
    def address(self) -> str:
        """Its public address where one is known."""
        if self.sheet and self.sheet.local and self.sheet.local in self.addresses:
            return self.sheet.local
        public = [a for a in self.addresses if not common([a], PRIVATE)]
        return min(public or self.addresses, default="")


@dataclass(frozen=True, slots=True)
class Picture:
    """Everything known of one tunnel, worked out once; a what-if makes another one (`dataclasses.replace`)."""

    name: str
    left: End
    right: End
    negotiations: tuple[Negotiation, ...] = ()
    unreachables: tuple[Unreachable, ...] = ()
    esp_out: int = 0
    esp_back: int = 0
    esp_last: float = 0.0
    esp_seen: tuple[EspSeen, ...] = ()
    tests: tuple[LanTest, ...] = ()
    outside: tuple[LanTest, ...] = ()
    """Tests from either site to private addresses that no tunnel of that site takes."""
    near: tuple[LanTest, ...] = ()
    """Tests of what lies before the tunnel: a host's own gateway, next hops, the peers' public addresses."""
    internet: tuple[LanTest, ...] = ()
    """Tests, and expected flows, from either LAN to public addresses that are no gateway's."""
    aside: tuple[LanTest, ...] = ()
    """Tests from either site that tell nothing of the tunnel: of hosts in their own LAN, of names that nothing resolved."""
    expected: tuple[LanTest, ...] = ()
    link_events: tuple[LinkEvent, ...] = ()
    changes: tuple[Change, ...] = ()
    moves: tuple[Change, ...] = ()
    """What happened to links, peers, tunnels, routes and roles at either end, in the order of the records."""
    adjacencies: tuple[Adjacency, ...] = ()
    pings: tuple[PingSeries, ...] = ()
    clock: ClockOffset | None = None
    worked_out: dict[str, object] = field(default_factory=dict, init=False, compare=False, repr=False)
    """What was worked out of this picture; another picture (`dataclasses.replace`) begins without it."""
    beside: tuple[Picture, ...] = ()
    """Other tunnels that join the same LANs: a standby, a second line, a second gateway; see tunnel.beside."""
    cuts: tuple[Problem, ...] = ()
    """What of this tunnel's evidence was over a bound and left out."""

    @property
    def ends(self) -> tuple[End, End]:
        return self.left, self.right

    def other(self, end: End) -> End:
        return self.right if end is self.left else self.left

    def end_at(self, address: str) -> End | None:
        """The end that has this address."""
        return next((e for e in self.ends if address in e.addresses), None)

    def standing(self, *what: What) -> list[tuple[End, Refusal]]:
        """Refusals of these kinds that nothing later made void, at either end."""
        return [(e, r) for e in self.ends for r in e.story.standing if r.what in what]

    @property
    def last(self) -> Negotiation | None:
        """The latest negotiation on the wire."""
        return self.negotiations[-1] if self.negotiations else None

    @property
    def version(self) -> int | None:
        for end in self.ends:
            if end.story.version:
                return end.story.version
        return self.last.version if self.last else None
