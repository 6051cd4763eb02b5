"""A tunnel before its evidence is attached."""

from __future__ import annotations

from dataclasses import dataclass, field

from stomion.model.event import Event, What
from stomion.model.site import SheetTunnel

IKE_PORTS = (500, 4500)


@dataclass(slots=True)
class Plan:
    """Its name, its sites, and the addresses and sheet of each."""

    name: str
    left: str
    right: str
    left_addresses: set[str] = field(default_factory=set)
    right_addresses: set[str] = field(default_factory=set)
    left_sheet: SheetTunnel | None = None
    right_sheet: SheetTunnel | None = None
    apart: frozenset[str] = frozenset()
    """Peers of either site with whom it has another tunnel, or none."""


def is_knock(event: Event) -> bool:
    """An unknown address that asks from just any port: a scan, and no tunnel of anybody's."""
    return event.what is What.NO_PEER and event.peer_port not in (None, *IKE_PORTS)
