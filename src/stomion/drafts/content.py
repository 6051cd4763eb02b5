"""What a block of no known kind is, by what it holds."""

from __future__ import annotations

import ipaddress
from collections.abc import Sequence
from itertools import islice

from stomion.drafts import words as w
from stomion.drafts.algorithms import is_algorithm, kind_of, phase_of
from stomion.shapes.statement import Statement
from stomion.space.axis import is_address

MOST = 400
"""Lines of a block that are looked at; what it is stands among them."""
FEW = 4
"""Lines that an interface's block has at most, where nothing else says that it is one."""
ENOUGH = 3
"""Of the things that make a tunnel: both ends, a proof, proposals of both phases or a cipher, networks of both sides."""
_ADDRESS = frozenset({"address", "adr", "addresses", "ip", "inet", "ipv4", "addr", "cidr"})


def by_content(statement: Statement) -> str:
    """`tunnel`, `interface` or `route`; empty for what may be anything."""
    leaves = list(islice(statement.leaves(), MOST))
    if _is_interface(leaves):
        return "interface"
    if _is_route(leaves):
        return "route"
    told = set()
    heads = [((), kid) for kid in statement.kids if kid.kids]
    for above, leaf in [*leaves, *heads]:
        bag = w.bag((*above, *leaf.words[:2]))
        side = "own" if bag & w.OWN else "far" if bag & w.FAR else ""
        if side and any(map(is_address, leaf.words)):
            told.add(side)
        if side and any("/" in w.network_of(word) for word in leaf.words):
            told.add(f"{side} networks")
        if bag & (w.PSK | w.CERTIFICATE):
            told.add("proof")
        if kind_of(leaf.words) == "encryption" and any(map(is_algorithm, leaf.words[1:])):
            told.add("cipher")
        phase = phase_of((*above, *leaf.words[:2]))
        if phase is not None:
            told.add(f"phase {phase}")
    both = [
        {"own", "far"} <= told,
        "proof" in told,
        {"phase 1", "phase 2"} <= told or "cipher" in told,
        {"own networks", "far networks"} <= told,
    ]
    return "tunnel" if sum(both) >= ENOUGH else ""


def may_be_tunnel(body: Sequence[Statement]) -> bool:
    """Does a block tell a far end, what is carried to it, and a proposal or how long keys live? What a tunnel speaks of may do so too."""
    told = set()
    for statement in islice(body, MOST):
        bag = w.bag(statement.words[:1])
        if bag & w.FAR and len(statement.words) > 1 and is_address(statement.words[-1]):
            told.add("far")
        elif bag & w.NETWORKS:
            told.add("carried")
        elif bag & w.OFFERS or kind_of(statement.words) in ("group", "lifetime"):
            told.add("offers")
    return told == {"far", "carried", "offers"}


def _is_route(leaves: list[tuple[tuple[str, ...], Statement]]) -> bool:
    """A few lines, each a key and a value, that tell a network to go to, the next hop or nothing, and nothing of anything else."""
    keyed = [leaf.words for above, leaf in leaves if len(leaf.words) == len(("to", "NETWORK")) and not above]
    if len(leaves) > FEW or len(keyed) < len(leaves):
        return False
    to = [words for words in keyed if w.bag(words[:1]) & _TO and w.network_of(words[1])]
    by = [words for words in keyed if w.bag(words[:1]) & w.VIA and is_address(words[1])]
    hole = [words for words in keyed if words[1].lower() in w.HOLE]
    beside = [words for words in keyed if w.bag(words[:1]) & (w.ON | w.NAME) and not w.network_of(words[1])]
    if to and any(_lies_in(hop, w.network_of(to[0][1])) for _, hop in by):
        # A range of addresses that are given out, and its gateway: no way leads to a network through itself.
        return False
    return len(to) == 1 and bool(by or hole) and len(keyed) == len(to) + len(by) + len(hole) + len(beside)


def _lies_in(address: str, network: str) -> bool:
    """False for everything as the network."""
    found = ipaddress.ip_network(network, strict=False) if "-" not in network else None
    return found is not None and found.prefixlen > 0 and ipaddress.ip_address(address) in found


_TO = w.DESTINATION | {"prefix", "network", "net", "subnet"}


def has_zone(statement: Statement) -> bool:
    """Does a block name the zone that it is in?"""
    return any(len(kid.words) == len(("zone", "NAME")) and w.bag(kid.words[:1]) & w.ZONE for kid in statement.kids)


_ALONE = ("/32", "/128")
"""The prefix of one host."""


def _is_interface(leaves: list[tuple[tuple[str, ...], Statement]]) -> bool:
    """A few lines, of which one gives a host's address with its prefix by a word for an address alone."""
    if len(leaves) > FEW:
        return False
    for above, leaf in leaves:
        words = leaf.words
        masked = len(words) == len(("address", "ADDRESS", "MASK")) and w.is_mask(words[-1])
        if (
            above
            or not (len(words) == len(("address", "PREFIX")) or masked)
            or not set(w.parts_of(words[0])) & _ADDRESS
        ):
            continue
        found = w.interface_address(*words[1:])
        if found and not found.endswith(_ALONE):
            return True
    return False
