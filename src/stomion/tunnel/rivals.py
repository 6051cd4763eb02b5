"""Two tunnels of one gateway to the same public address: spokes behind one translation, or an identity that two peers use.

The address tells nothing then. What does: the connection's name, the identities, the ranges and SPIs that lines name, and the number that a
log gives to one SA. What none of these tells is nobody's, and is said.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from stomion.model.event import Event
from stomion.model.site import SheetTunnel
from stomion.space.ranges import common


def rivals_of(declared: Iterable[SheetTunnel], tunnel: SheetTunnel) -> tuple[SheetTunnel, ...]:
    """Of a sheet's tunnels to the same peer address those from the same own one, for another site."""
    if tunnel.peer.strip("%") == "any":
        return ()
    return tuple(
        t for t in declared if t.peer == tunnel.peer and t.local == tunnel.local and t.peer_site != tunnel.peer_site
    )


def divided(
    events: Iterable[Event], tunnel: SheetTunnel, rivals: Sequence[SheetTunnel]
) -> tuple[list[Event], list[Event]]:
    """(this tunnel's events, those that may be either's), each in the order of the log."""
    groups: dict[tuple[str, str], list[Event]] = {}
    for event in events:
        groups.setdefault(_group(event), []).append(event)
    mine: list[Event] = []
    open_: list[Event] = []
    for group in groups.values():
        ours = any(_names(e, tunnel) for e in group)
        theirs = any(_names(e, rival) for e in group for rival in rivals)
        if ours and not theirs:
            mine += group
        elif ours is theirs:
            open_ += group
    return sorted(mine, key=_place), sorted(open_, key=_place)


def _group(event: Event) -> tuple[str, str]:
    """Lines of one SA: by the log's own number, else by the peer's port, else by the connection."""
    if event.sa:
        return "sa", event.sa
    if event.peer_port not in (None, 500, 4500):
        return "port", str(event.peer_port)
    return "conn", event.conn or ""


def _names(event: Event, tunnel: SheetTunnel) -> bool:
    """Does a line name a tunnel: by its name, its peer's identity, or the ranges behind its peer?"""
    if event.conn == tunnel.name or (tunnel.remote_id and tunnel.remote_id in event.identities):
        return True
    return len(event.my_ts) == 2 and bool(common([event.my_ts[1]], tunnel.remote_ts))


def _place(event: Event) -> tuple[str, int]:
    return event.where.file, event.where.line or 0
