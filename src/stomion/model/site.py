"""The site sheet: what a gateway is meant to do, as people declare it (docs/formats.md)."""

from __future__ import annotations

from typing import Any

import msgspec

Service = str
"""`icmp`, `tcp/80`, `udp/500-520`, `tcp`, `any`, or `esp`, `ah` and protocol numbers."""


class SheetInterface(msgspec.Struct, frozen=True):
    """`addresses` are with their prefix length: `203.0.113.10/29`."""

    name: str
    addresses: tuple[str, ...] = ()
    zone: str = ""


class SheetProposal(msgspec.Struct, frozen=True):
    """As written by the user: spellings are unified when it becomes a model Proposal. Lifetime in seconds."""

    encryption: tuple[str, ...] = ()
    integrity: tuple[str, ...] = ()
    prf: tuple[str, ...] = ()
    group: tuple[int | str, ...] = ()
    lifetime_s: int | None = None


class SheetDpd(msgspec.Struct, frozen=True):
    """Peer detection: a probe every `interval_s` seconds, given up after `retries`."""

    interval_s: float | None = None
    retries: int | None = None


class SheetTunnel(msgspec.Struct, frozen=True):
    """One tunnel as one end means it; `local`/`peer` may be `any`. Empty and None stand for what the sheet leaves open."""

    name: str
    peer_site: str = ""
    local: str = ""
    peer: str = ""
    ike: int | None = None
    mode: str = ""
    initiate: str = ""
    auth: str = ""
    local_id: str = ""
    remote_id: str = ""
    key_mark: str = ""
    style: str = ""
    interface: str = ""
    encapsulation: str = ""
    nat_traversal: str = ""
    local_ts: tuple[str, ...] = ()
    remote_ts: tuple[str, ...] = ()
    dpd: SheetDpd | None = None
    role: str = ""
    ike_proposal: tuple[SheetProposal, ...] = ()
    esp_proposal: tuple[SheetProposal, ...] = ()


class SheetRoute(msgspec.Struct, frozen=True):
    """`via` empty: on link. The lower `metric` wins among routes of the same length; `type` is `unicast` or `blackhole`."""

    destination: str
    via: str = ""
    interface: str = ""
    metric: int = 0
    type: str = ""


class SheetMatch(msgspec.Struct, frozen=True):
    """What a rule matches; empty means anything. Several values of one key are alternatives."""

    in_interface: str = ""
    out_interface: str = ""
    from_zone: str = ""
    to_zone: str = ""
    source: str | tuple[str, ...] = ()
    destination: str | tuple[str, ...] = ()
    service: Service | tuple[Service, ...] = ()


class SheetTranslation(msgspec.Struct, frozen=True):
    """`action`: `masquerade`, `exempt`, or a table with `source_to` or `destination_to`."""

    action: str | dict[str, str]
    match: SheetMatch = SheetMatch()
    name: str = ""


class SheetFilter(msgspec.Struct, frozen=True):
    """`action`: `allow`, `drop` or `reject`."""

    action: str
    match: SheetMatch = SheetMatch()
    name: str = ""


class SiteSheet(msgspec.Struct, frozen=True):
    """A gateway's sheet. `lines` gives the line of a part by its path: `tunnel.0`, `filter.3`, `tunnel.0.ike_proposal.1.group`."""

    site: str
    translation_first: bool = True
    interface: tuple[SheetInterface, ...] = ()
    tunnel: tuple[SheetTunnel, ...] = ()
    route: tuple[SheetRoute, ...] = ()
    translation: tuple[SheetTranslation, ...] = ()
    filter: tuple[SheetFilter, ...] = ()
    lines: dict[str, int] = {}


CHOICES: dict[str, tuple[Any, ...]] = {
    "tunnel.ike": (1, 2),
    "tunnel.mode": ("main", "aggressive"),
    "tunnel.initiate": ("always", "on-traffic", "never"),
    "tunnel.auth": ("psk", "certificate"),
    "tunnel.style": ("policy", "route"),
    "tunnel.encapsulation": ("tunnel", "transport"),
    "tunnel.nat_traversal": ("auto", "always", "never"),
    "tunnel.role": ("primary", "standby"),
    "route.type": ("unicast", "blackhole"),
    "filter.action": ("allow", "drop", "reject"),
    "translation.action": ("masquerade", "exempt"),
}
"""Keys that take one of a few words, by the table they stand in."""
