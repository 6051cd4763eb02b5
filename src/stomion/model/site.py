"""What a gateway is meant to do, as far as this program reads it yet (the site sheet)."""

from __future__ import annotations

import msgspec


class SheetInterface(msgspec.Struct, frozen=True):
    """`addresses` are with their prefix length: `203.0.113.10/29`."""

    name: str
    addresses: tuple[str, ...] = ()
    zone: str = ""


class SheetProposal(msgspec.Struct, frozen=True):
    """As written by the user: spellings are unified when it becomes a model Proposal."""

    encryption: tuple[str, ...] = ()
    integrity: tuple[str, ...] = ()
    prf: tuple[str, ...] = ()
    group: tuple[int | str, ...] = ()
    lifetime_s: int | None = None


class SheetTunnel(msgspec.Struct, frozen=True):
    """One tunnel as one end means it; `local`/`peer` may be `any`."""

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
    style: str = ""
    encapsulation: str = ""
    local_ts: tuple[str, ...] = ()
    remote_ts: tuple[str, ...] = ()
    role: str = ""
    ike_proposal: tuple[SheetProposal, ...] = ()
    esp_proposal: tuple[SheetProposal, ...] = ()


class SiteSheet(msgspec.Struct, frozen=True):
    """A gateway's sheet; keys this version does not use are left alone."""

    site: str
    interface: tuple[SheetInterface, ...] = ()
    tunnel: tuple[SheetTunnel, ...] = ()
