"""What the words of a tunnel leave open, and the gateway's own interfaces tell: which address is its end, and which networks are near."""

from __future__ import annotations

import ipaddress
from collections.abc import Iterable, Iterator
from functools import lru_cache

from stomion.drafts import words as w
from stomion.drafts.said import Names
from stomion.drafts.sides import side_of, whole
from stomion.drafts.things import Thing
from stomion.drafts.told import Told
from stomion.space.axis import is_address

_OTHERS = w.DPD | w.VIA - {"gateway", "gw"} | {
    "dns", "ntp", "syslog", "log", "server", "radius", "snmp", "proxy", "track", "tracks", "ping", "pings", "test", "sla", "collector",
}  # fmt: skip
"""Keys beside which another host's address stands."""


def tell_unsaid(told: Told, thing: Thing, names: Names) -> None:
    """Ends and networks that stand under keys of no known side: told where the interfaces leave one reading alone."""
    lines = list(_lines(thing))
    _ends_of(told, [(key, values[0]) for key, values in lines if len(values) == 1 and is_address(values[0])], names)
    groups = [values for _, values in lines if not any(map(is_address, values))]
    near = [values for values in groups if all(_is_near(value, names) for value in values)]
    far = [values for values in groups if not any(_is_near(value, names) for value in values)]
    if not told.near and not told.far and len(near) == len(far) == 1 and len(groups) == len((near, far)):
        told.near, told.far = list(near[0]), list(far[0])


def _ends_of(told: Told, ends: list[tuple[str, str]], names: Names) -> None:
    """The own end is an interface's address.

    The peer is the one address beyond, under a word for an end, or under any where no word tells the own end either.
    """
    said = bool(told.values.get("local"))
    _end(told, "local", {end for _, end in ends if end in names.addresses})
    if told.values.get("local"):
        far = [(key, end) for key, end in ends if not _is_near(end, names)]
        _end(told, "peer", {end for key, end in far if not said or w.bag((key,)) & (w.ENDPOINT | w.FAR)})


def _end(told: Told, key: str, found: set[str]) -> None:
    if len(found) == 1 and not told.values.get(key):
        told.values[key] = found.pop()


def _lines(thing: Thing) -> Iterator[tuple[str, tuple[str, ...]]]:
    """The key of each line that is of no side, and the addresses and networks behind it, which are all that stands there."""
    for above, one in thing.leaves():
        key, values = one.words[:1], one.words[1:]
        if not values or not key or w.is_value(key[0]) or side_of((*above, *key)) or w.bag(key) & _OTHERS:
            continue
        if all(map(w.network_of, values)):
            one_address = len(values) == 1 and is_address(values[0])
            yield key[0], values if one_address else tuple(map(whole, map(w.network_of, values)))


def _is_near(value: str, names: Names) -> bool:
    """Does an address or a network lie in one that an interface is in?"""
    ends = list(map(ipaddress.ip_address, _ends(value)))
    return any(
        len(first := {int(end) >> (end.max_prefixlen - length) for end in ends}) == 1 and first <= networks
        for (version, length), networks in _near_networks(tuple(names.addresses.values())).items()
        if version == ends[0].version
    )


@lru_cache(4)
def _near_networks(addresses: tuple[str, ...]) -> dict[tuple[int, int], set[int]]:
    """The networks of interfaces by version and prefix length, each as the number that its first bits make."""
    out: dict[tuple[int, int], set[int]] = {}
    for address in addresses:
        found = ipaddress.ip_interface(address).network
        bits = int(found.network_address) >> (found.max_prefixlen - found.prefixlen)
        out.setdefault((found.version, found.prefixlen), set()).add(bits)
    return out


def _ends(value: str) -> Iterable[str]:
    low, dash, high = value.partition("-")
    if dash:
        return low, high
    if "/" not in value:
        return (value,)
    found = ipaddress.ip_network(value, strict=False)
    return str(found.network_address), str(found.broadcast_address)
