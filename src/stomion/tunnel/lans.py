"""Which networks are behind an end: the one place that answers it, for tests, selectors, flows and overlaps alike."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable
from functools import lru_cache

from stomion.space.axis import address_text
from stomion.space.ranges import common, is_any, spans
from stomion.tunnel.picture import End


def behind(end: End) -> set[str]:
    """Networks that an end was seen to have, by its interfaces and its hosts, without the one that its public address stands in."""
    return {n for n in end.networks if not common([n], end.addresses)}


def lans_of(end: End, other: End) -> set[str]:
    """All ranges behind an end: its networks, and those its sheet protects (save any-to-any).

    An end whose only network holds its public address has its hosts there. Of an end that gave nothing, what the other end believes to be
    behind it: by its sheet, else by its log's Child SA.
    """
    own = (behind(end) or set(end.networks)) | without_any(end.sheet.local_ts if end.sheet else ())
    if own:
        return own
    up = other.story.child_ever
    return without_any(other.sheet.remote_ts if other.sheet else ()) or without_any(up.my_ts[1:] if up else ())


def known_address(end: End, other: End) -> str:
    """An address behind an end that is known to be somebody's, to be tried from the other end: one of its hosts, else the gateway's own
    in the LAN; empty where none is known."""
    ranges = lans_of(end, other)
    for tables in (*end.hosts.values(), *([end.tables] if end.tables is not None else ())):
        for found in tables.addresses.values():
            for address, _ in found:
                text = address_text(address)
                if meets(text, ranges) and text not in end.addresses:
                    return text
    return ""


def without_any(texts: Iterable[str]) -> set[str]:
    """Ranges that are not all addresses of a family: a tunnel by routes names those, and they are nobody's LAN."""
    return {n for n in texts if not any(map(is_any, spans([n])))}


def meets(text: str, networks: Iterable[str]) -> bool:
    """Does an address, a prefix or LOW-HIGH share anything with some networks? False for what is none of these."""
    return bool(common([text], networks))


def no_host(address: str, end: End) -> str:
    """`the network's own address` or `the broadcast address`, where it is one of a network behind this end."""
    texts = set(end.networks) | set(end.sheet.local_ts if end.sheet else ())
    return next((said for text in texts if (said := _edge(address, text))), "")


@lru_cache(8_192)
def _edge(address: str, text: str) -> str:
    try:
        network, target = ipaddress.ip_network(text, strict=False), ipaddress.ip_address(address)
    except ValueError:
        return ""
    if network.version != 4 or target.version != 4 or network.prefixlen > 30:
        return ""
    if target == network.network_address:
        return "the network's own address"
    return "the broadcast address" if target == network.broadcast_address else ""
