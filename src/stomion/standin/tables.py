"""The demo's tables in the operating system's own form: Gannet's gateway and a host behind it that has no way back."""

from __future__ import annotations

import json
from typing import Any

from stomion.standin.places import ADDRESSES, LANS

_ASKED = ((0, "local"), (32_766, "main"), (32_767, "default"))


def gannet_files() -> dict[str, bytes]:
    """`ip -j addr`, `ip -j route show table all`, `ip -j rule` and `nft -j list ruleset` of Gannet, and of host-b."""
    return {
        "gannet/addr.json": _json([_LOOP, _link("eth0", ADDRESSES["gannet"], 28), _link("eth1", "10.74.0.1", 23)]),
        "gannet/route.json": _json([
            {"dst": "default", "gateway": "203.0.113.129", "dev": "eth0", "flags": []},
            {"dst": "10.74.0.0/23", "dev": "eth1", "protocol": "kernel", "scope": "link", "prefsrc": "10.74.0.1", "flags": []},
            {"dst": "203.0.113.128/28", "dev": "eth0", "protocol": "kernel", "scope": "link", "prefsrc": ADDRESSES["gannet"]},
            {"type": "local", "dst": "10.74.0.1", "dev": "eth1", "table": "local", "scope": "host", "flags": []},
            {"type": "local", "dst": ADDRESSES["gannet"], "dev": "eth0", "table": "local", "scope": "host", "flags": []},
        ]),
        "gannet/rule.json": _json([{"priority": n, "src": "all", "table": table} for n, table in _ASKED]),
        "gannet/nft.json": _json({"nftables": [*_forward(), *_postrouting()]}),
        "gannet/hosts/host-b/addr.json": _json([_LOOP, _link("eth0", "10.74.0.20", 23)]),
        "gannet/hosts/host-b/route.json": _json([
            {"dst": "10.74.0.0/23", "dev": "eth0", "protocol": "kernel", "scope": "link", "prefsrc": "10.74.0.20", "flags": []},
        ]),
    }  # fmt: skip


def _json(found: Any) -> bytes:
    return (json.dumps(found) + "\n").encode()


def _link(dev: str, address: str, length: int, scope: str = "global") -> dict[str, Any]:
    info = {"family": "inet", "local": address, "prefixlen": length, "scope": scope, "label": dev}
    return {
        "ifname": dev,
        "flags": ["UP"],
        "mtu": 1500,
        "link_type": "loopback" if dev == "lo" else "ether",
        "addr_info": [info],
    }


_LOOP = _link("lo", "127.0.0.1", 8, "host")


def _prefix(text: str) -> dict[str, Any]:
    address, _, length = text.partition("/")
    return {"prefix": {"addr": address, "len": int(length)}}


def _lans(source: str, destination: str) -> list[dict[str, Any]]:
    return [
        {"match": {"op": "==", "left": {"payload": {"protocol": "ip", "field": field}}, "right": _prefix(LANS[site])}}
        for field, site in (("saddr", source), ("daddr", destination))
    ]


def _rule(
    chain: str, comment: str, expr: list[dict[str, Any]], packets: int, table: str = "filter", family: str = "inet"
) -> dict[str, Any]:
    verdict = expr.pop()
    counted = [*expr, {"counter": {"packets": packets, "bytes": packets * 84}}, verdict]
    return {"rule": {"family": family, "table": table, "chain": chain, "comment": comment, "expr": counted}}


def _forward() -> list[dict[str, Any]]:
    chain = {
        "family": "inet",
        "table": "filter",
        "name": "forward",
        "type": "filter",
        "hook": "forward",
        "prio": 0,
        "policy": "drop",
    }
    state = {"match": {"op": "in", "left": {"ct": {"key": "state"}}, "right": ["established", "related"]}}
    return [
        {"chain": chain},
        _rule("forward", "answers", [state, {"accept": None}], 0),
        _rule("forward", "Gannet to Quayhead", [*_lans("gannet", "quayhead"), {"accept": None}], 0),
        _rule("forward", "Quayhead to Gannet", [*_lans("quayhead", "gannet"), {"accept": None}], 11),
    ]


def _postrouting() -> list[dict[str, Any]]:
    chain = {
        "family": "ip",
        "table": "nat",
        "name": "postrouting",
        "type": "nat",
        "hook": "postrouting",
        "prio": 100,
        "policy": "accept",
    }
    out = {"match": {"op": "==", "left": {"meta": {"key": "oifname"}}, "right": "eth0"}}
    return [
        {"chain": chain},
        _rule("postrouting", "not into the tunnel", [*_lans("gannet", "quayhead"), {"accept": None}], 0, "nat", "ip"),
        _rule(
            "postrouting",
            "to the internet",
            [_lans("gannet", "quayhead")[0], out, {"masquerade": None}],
            37,
            "nat",
            "ip",
        ),
    ]
