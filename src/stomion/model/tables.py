"""Ordered tables of a gateway or a host: routes, policy routing, translation and filter rules, in one shape for every source."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from fnmatch import fnmatchcase

from stomion.model.box import Box, Interval
from stomion.model.provenance import Provenance


class Action(StrEnum):
    """What a rule does with what it matches. In a translation chain `accept` and `return` leave the packet as it is."""

    ACCEPT = "accept"
    DROP = "drop"
    REJECT = "reject"
    RETURN = "return"
    CONTINUE = "continue"
    JUMP = "jump"
    GOTO = "goto"
    MASQUERADE = "masquerade"
    SOURCE_TO = "source-to"
    DESTINATION_TO = "destination-to"
    MARK = "mark"


class Hook(StrEnum):
    """Where on a packet's way a base chain is asked."""

    PREROUTING = "prerouting"
    INPUT = "input"
    FORWARD = "forward"
    OUTPUT = "output"
    POSTROUTING = "postrouting"
    INGRESS = "ingress"
    EGRESS = "egress"


class ChainKind(StrEnum):
    """Does a base chain filter or translate? Chains of type `route` decide as filters do."""

    FILTER = "filter"
    NAT = "nat"


class State(StrEnum):
    """What connection tracking knows of a packet."""

    NEW = "new"
    ESTABLISHED = "established"
    RELATED = "related"
    INVALID = "invalid"
    UNTRACKED = "untracked"


class RouteKind(StrEnum):
    """What a route does: lead on, end here, or end the way (ip-route(8)). OTHER is a kind that is not known."""

    UNICAST = "unicast"
    LOCAL = "local"
    BROADCAST = "broadcast"
    MULTICAST = "multicast"
    ANYCAST = "anycast"
    BLACKHOLE = "blackhole"
    UNREACHABLE = "unreachable"
    PROHIBIT = "prohibit"
    THROW = "throw"
    OTHER = "other"


class Origin(StrEnum):
    """Where tables come from: their orders of translation and filter differ."""

    SHEET = "sheet"
    SYSTEM = "system"


@dataclass(frozen=True, slots=True)
class Names:
    """A set of interface or zone names, or all others (`negated`); a trailing `*` stands for any ending. Empty: any."""

    names: frozenset[str] = frozenset()
    negated: bool = False

    def fits(self, name: str) -> bool:
        """Does a name belong to it?"""
        if not self.names:
            return True
        return any(n == name or ("*" in n and fnmatchcase(name, n)) for n in self.names) is not self.negated


ANY = Names()


@dataclass(frozen=True, slots=True)
class Rule:
    """One rule. `boxes` are the packets it matches (see algebra.boxes); `doubt` names what of it is not understood.

    `to` is the address of a translation, the chain of a jump, or the mark that is set; `marks` what the packet's mark must be.
    """

    number: int
    action: Action
    boxes: tuple[Box, ...]
    where: Provenance
    name: str = ""
    in_dev: Names = ANY
    out_dev: Names = ANY
    in_zone: Names = ANY
    out_zone: Names = ANY
    states: frozenset[State] = frozenset()
    marks: tuple[Interval, ...] = ()
    to: str = ""
    hits: int | None = None
    moved: int | None = None
    """How far its count went between two readings of the same table; None where there was one."""
    doubt: str = ""
    text: str = ""

    @property
    def label(self) -> str:
        """`rule 2 “no translation towards Marram”`; a rule that is only being tried has a negative number."""
        number = f"rule {self.number}" if self.number >= 0 else f"new rule {-self.number}"
        return number + (f" “{self.name}”" if self.name else "")


@dataclass(frozen=True, slots=True)
class Chain:
    """Rules in order; a base chain has a hook, a priority and a policy for what reaches its end."""

    name: str
    rules: tuple[Rule, ...]
    kind: ChainKind = ChainKind.FILTER
    hook: Hook | None = None
    priority: int = 0
    policy: Action = Action.ACCEPT
    where: Provenance | None = None


@dataclass(frozen=True, slots=True)
class Route:
    """`length` is the prefix's, in bits of its own family.

    `others` are further next hops (`dev`, `via`) that share the traffic with the first.
    """

    destination: Interval
    length: int
    where: Provenance
    via: str = ""
    dev: str = ""
    metric: int = 0
    table: str = "main"
    kind: RouteKind = RouteKind.UNICAST
    text: str = ""
    others: tuple[tuple[str, str], ...] = ()
    learned: str = ""
    """The routing protocol it comes from; empty for one that was configured, or that the system made."""


@dataclass(frozen=True, slots=True)
class RoutingRule:
    """Policy routing: which table is asked, in the order of `priority`; `end` stops the way instead (`blackhole` …)."""

    priority: int
    source: Interval
    destination: Interval
    table: str
    where: Provenance
    in_dev: str = ""
    mark: int | None = None
    """The mark that packets must have, in the bits of `mask`; None where any will do (ip-rule(8), fwmark)."""
    mask: int = 2**32 - 1
    end: RouteKind | None = None
    doubt: str = ""

    def marked(self, mark: int) -> bool:
        """Does it ask about packets with this mark?"""
        return self.mark is None or not (mark ^ self.mark) & self.mask

    @property
    def of_the_system(self) -> bool:
        """One of the three that every machine has (ip-rule(8))."""
        return self.priority in (0, 32_766, 32_767)

    @property
    def label(self) -> str:
        """`routing rule 100, table main`."""
        return f"routing rule {self.priority}, " + (self.end or f"table {self.table}")


@dataclass(frozen=True, slots=True)
class Policy:
    """A tunnel's selectors at this gateway: packets of them are sealed on their way out (or expected on their way in).

    `peer` is the far end, by its site's name or its address; empty where it is not known.
    """

    tunnel: str
    near: tuple[Interval, ...]
    far: tuple[Interval, ...]
    dev: str = ""
    where: Provenance | None = None
    services: tuple[tuple[Interval, Interval], ...] = ()
    peer: str = ""


Address = tuple[int, Interval]
"""An interface's address and its network, on the common axis."""


@dataclass(frozen=True, slots=True)
class Entry:
    """A rule or a route of one reading, in words. `kind` is `rule` or `route`."""

    kind: str
    text: str
    where: Provenance


@dataclass(frozen=True, slots=True)
class Tables:
    """All of one gateway or host, as it stands: a change makes other tables (`dataclasses.replace`)."""

    site: str
    host: str = ""
    source: Origin = Origin.SYSTEM
    addresses: Mapping[str, tuple[Address, ...]] = field(default_factory=dict)
    """By interface."""
    down: frozenset[str] = frozenset()
    """Interfaces that are switched off or without a link."""
    zones: Mapping[str, str] = field(default_factory=dict)
    tunnel_devs: frozenset[str] = frozenset()
    routes: tuple[Route, ...] = ()
    routing_rules: tuple[RoutingRule, ...] = ()
    chains: Mapping[str, Chain] = field(default_factory=dict)
    policies: tuple[Policy, ...] = ()
    translation_first: bool = True
    forwarding: bool | None = None
    forwarding_v6: bool | None = None
    """Whether IPv4 and IPv6 packets are passed on; None where it is not known."""
    forwarding_at: Provenance | None = None
    worked_out: dict[tuple[str, str], object] = field(default_factory=dict, init=False, compare=False, repr=False)
    """What was made of these tables to look things up quickly; other tables (`dataclasses.replace`) begin without it."""
    doubts: tuple[str, ...] = ()
    """What of the files was not understood, or stood in two of them differently, in the order in which they were read."""
    read_at: float | None = None
    """When its routes were read, in seconds since 1970 UTC; None where nobody tells."""
    came: tuple[Entry, ...] = ()
    gone: tuple[Entry, ...] = ()
    """Of a table that was read twice: what the later reading has and the earlier had not, and the reverse."""

    @property
    def named_routes(self) -> tuple[Route, ...]:
        """Routes of the main table that somebody set, without those that an interface's own network brings along."""
        own = {net for rows in self.addresses.values() for _, net in rows}
        return tuple(r for r in self.routes if r.table == "main" and (r.via or r.destination not in own))

    def base(self, hook: Hook, kind: ChainKind | None = None) -> list[Chain]:
        """Base chains of a hook, of one kind or of both, in the order of their priorities."""
        found = [c for c in self.chains.values() if c.hook is hook and kind in (None, c.kind)]
        return sorted(found, key=lambda c: c.priority)

    def forwards(self, v6: bool) -> bool | None:
        """Does this machine pass packets of a family on? None where nothing tells."""
        return self.forwarding_v6 if v6 else self.forwarding

    def dev_of(self, address: int) -> str:
        """The interface whose network holds an address, empty where none does."""
        for dev, found in self.addresses.items():
            if any(low <= address <= high for _, (low, high) in found):
                return dev
        return ""

    def is_own(self, address: int) -> bool:
        """Is it one of this machine's own addresses?"""
        return any(address == own for found in self.addresses.values() for own, _ in found)
