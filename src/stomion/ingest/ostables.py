"""The operating system's own tables to the common shape: `ip -j addr/route/rule`, `nft -j list ruleset`, `ip xfrm policy`."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any

from stomion.ingest import osstates
from stomion.ingest.gate import json_value
from stomion.ingest.item import Item, read_whole
from stomion.ingest.order import moment_in
from stomion.ingest.osroutes import with_routes, with_rules
from stomion.ingest.osrows import over_bound, text_of
from stomion.ingest.owners import note_address
from stomion.ingest.reading import Kind, Reading
from stomion.ingest.ruleset import with_ruleset
from stomion.ingest.stoppable import steps
from stomion.model.provenance import Provenance
from stomion.model.tables import Policy, Tables
from stomion.space.axis import address_number, interval_of
from stomion.vocabulary.clean import clean


def read_table(kind: str, text: bytes, file: str, tables: Tables) -> Tables:
    """A machine's tables with a file of one of these kinds more. Raises UnreadableInput where the file is damaged."""
    if kind in _TEXTS:
        return _TEXTS[kind](tables, clean(text.decode("utf-8", "replace")), file)
    data = json_value(text, kind)
    if kind == "filter rules":
        return with_ruleset(tables, data, file)
    rows = data if isinstance(data, list) else [data]
    found = _LISTS[kind](tables, rows, file)
    return replace(found, doubts=(*found.doubts, *over_bound(len(rows))))


def _with_forwarding(tables: Tables, text: str, file: str) -> Tables:
    """`net.ipv4.ip_forward = 0`: whether this machine passes packets on, for each address family."""
    v4, v6, at = tables.forwarding, tables.forwarding_v6, tables.forwarding_at
    for number, line in enumerate(text.split("\n"), 1):
        key, _, value = line.partition("=")
        name, on = key.strip().replace("/", "."), value.strip() == "1"
        if value.strip() not in ("0", "1") or name not in ("net.ipv4.ip_forward", "net.ipv6.conf.all.forwarding"):
            continue
        if name.startswith("net.ipv6"):
            v6 = on
        else:
            v4 = on
        if not on or at is None:
            at = Provenance(file, tables.site, line=number)
    return replace(tables, forwarding=v4, forwarding_v6=v6, forwarding_at=at)


_TUNNEL_LINKS = ("none", "ipip", "gre", "sit", "tunnel6", "xfrm")
"""Types of links (`link_type`) that lead into a tunnel."""


def _with_addresses(tables: Tables, rows: list[Any], _file: str) -> Tables:
    """Interfaces with their addresses and networks."""
    addresses = {dev: list(found) for dev, found in tables.addresses.items()}
    tunnel_devs, down = set(tables.tunnel_devs), set(tables.down)
    for link in steps(rows):
        if not isinstance(link, dict):
            continue
        dev = text_of(link, "ifname")
        found = addresses.setdefault(dev, [])
        for info in link.get("addr_info", []) if isinstance(link.get("addr_info"), list) else []:
            try:
                own = address_number(text_of(info, "local"))
                found.append((own, interval_of(f"{text_of(info, 'local')}/{text_of(info, 'prefixlen')}")[0]))
            except (ValueError, AttributeError):
                continue
        flags = link.get("flags")
        flags = flags if isinstance(flags, list) else []
        if flags and ("UP" not in flags or "NO-CARRIER" in flags or text_of(link, "operstate") == "DOWN"):
            down.add(dev)
        pointlike = "POINTOPOINT" in flags or text_of(link, "link_type") in _TUNNEL_LINKS
        if pointlike and dev != "lo":
            tunnel_devs.add(dev)
    held = {dev: tuple(found) for dev, found in addresses.items()}
    return replace(tables, addresses=held, tunnel_devs=frozenset(tunnel_devs), down=frozenset(down))


_XFRM = re.compile(r"^src (?P<src>\S+) dst (?P<dst>\S+)")
_XFRM_PEER = re.compile(r"^\s+tmpl src \S+ dst (?P<peer>\S+)")
_XFRM_DIR = re.compile(r"\bdir (?P<dir>out|in|fwd)\b")


def _policies(text: str, file: str, site: str) -> Iterator[Policy]:
    """Outgoing policies: a first line with the selector, its direction on the next, the peer in the template after it."""
    held: tuple[str, str, int] | None = None
    waiting: Policy | None = None
    for number, line in enumerate(steps(text.split("\n")), 1):
        start, template = _XFRM.match(line), _XFRM_PEER.match(line)
        if waiting is not None and (start or template):
            yield replace(waiting, peer=template["peer"]) if template else waiting
            waiting = None
        if start:
            held = (start["src"], start["dst"], number)
            continue
        direction = _XFRM_DIR.search(line)
        if direction and held is not None and direction["dir"] == "out":
            try:
                near, far = (interval_of(t)[0] for t in held[:2])
            except ValueError:
                continue
            where = Provenance(file, site, line=held[2])
            waiting = Policy(f"{held[0]} to {held[1]}", (near,), (far,), "", where)
        if direction:
            held = None
    if waiting is not None:
        yield waiting


def _with_policies(tables: Tables, text: str, file: str) -> Tables:
    return replace(tables, policies=(*tables.policies, *_policies(text, file, tables.site)))


_TEXTS: dict[str, Callable[[Tables, str, str], Tables]] = {
    "IPsec policies": _with_policies,
    "forwarding": _with_forwarding,
}
_LISTS: dict[str, Callable[[Tables, list[Any], str], Tables]] = {
    "addresses": _with_addresses,
    "routes": with_routes,
    "rules": with_rules,
}
"""Kinds that are text, and kinds that are JSON lists: (tables, content, file) -> tables."""


def _read_into(kind: str) -> Callable[[Reading], None]:
    """A table of the operating system to the tables of its gateway or host."""

    def read(reading: Reading) -> None:
        item = reading.item
        reading.source(kind)
        if not item.site:
            return
        machine = item.site, item.host or ""
        before = reading.evidence.tables.get(machine) or Tables(*machine)
        whole = read_whole(item)
        tables = reading.evidence.tables[machine] = read_table(kind, whole, item.name, before)
        for doubt in tables.doubts[len(before.doubts) :]:
            reading.problem(doubt)
        if kind == "routes":
            reading.evidence.tables[machine] = replace(tables, read_at=moment_in(item.name))
        if kind == "addresses":
            _note_addresses(json_value(whole, kind), reading)

    return read


def _note_addresses(table: Any, reading: Reading) -> None:
    """The addresses a site has, and the networks behind it where they are a host's."""
    item = reading.item
    for link in steps(table if isinstance(table, list) else []):
        rows = link.get("addr_info") if isinstance(link, dict) else None
        for info in rows if isinstance(rows, list) else []:
            if isinstance(info, dict) and info.get("scope") == "global" and item.site:
                text = f"{info.get('local')}/{info.get('prefixlen')}"
                note_address(reading.evidence, item.site, text, host=bool(item.host))


def _json_with(start: bytes, *words: bytes, within: int) -> Callable[[Item, bytes], bool]:
    """Recognises JSON that begins with one of some characters and has all of some words near its beginning."""

    def fits(_item: Item, head: bytes) -> bool:
        text = head.lstrip(b"\xef\xbb\xbf \r\n\t")
        return text[:1] in tuple(start[i : i + 1] for i in range(len(start))) and all(w in text[:within] for w in words)

    return fits


_STATE_TEXT = re.compile(rb"\Asrc \S+ dst \S+ ?\r?\n\s+(dir (?:in|out|fwd)|proto \w+ spi)")
_FORWARDING = re.compile(rb"\A(?:net\.ipv[46]\.(?:conf\.all\.|conf/all/)?(?:ip_)?forward(?:ing)?) ?= ?[01]")


def _is_xfrm(word: bytes) -> Callable[[Item, bytes], bool]:
    def fits(_item: Item, head: bytes) -> bool:
        found = _STATE_TEXT.match(head.lstrip(b"\xef\xbb\xbf \r\n\t")[:4096])
        return found is not None and found[1].startswith(word)

    return fits


def _is_forwarding(_item: Item, head: bytes) -> bool:
    return _FORWARDING.match(head.lstrip(b"\xef\xbb\xbf \r\n\t")[:4096]) is not None


FILTER_RULES = Kind("filter rules", _json_with(b"{[", b'"nftables"', within=200), _read_into("filter rules"))
ADDRESSES = Kind("addresses", _json_with(b"[", b'"ifname"', b'"addr_info"', within=65_536), _read_into("addresses"))
RULES = Kind("rules", _json_with(b"[", b'"priority"', b'"src"', within=400), _read_into("rules"))
ROUTES = Kind("routes", _json_with(b"[", b'"dst"', within=400), _read_into("routes"))
FORWARDING = Kind("forwarding", _is_forwarding, _read_into("forwarding"))
POLICIES = Kind("IPsec policies", _is_xfrm(b"dir"), _read_into("IPsec policies"))
STATES = Kind("IPsec states", _is_xfrm(b"proto"), osstates.read)
