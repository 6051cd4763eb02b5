"""Inputs that are large and honest, each at one size and at twice that: whatever is read must cost in proportion (n, or n log n)."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable
from pathlib import Path

TUNNEL = """[[tunnel]]
name = "t{n}"
peer_site = "s{n}"
local = "192.0.2.1"
peer = "{peer}"
local_ts = ["10.1.0.0/16"]
remote_ts = ["{lan}"]
"""


def put(folder: Path, name: str, data: str | bytes) -> None:
    """A file of a case."""
    path = folder / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data.encode() if isinstance(data, str) else data)


def tunnels_in_a_sheet(folder: Path, count: int) -> None:
    rows = (
        TUNNEL.format(n=n, peer=f"198.18.{n // 250}.{n % 250 + 1}", lan=f"172.{16 + n // 256}.{n % 256}.0/24")
        for n in range(count)
    )
    put(folder, "sites/north.toml", 'site = "north"\n' + "".join(rows))


def declared_tunnels(folder: Path, count: int) -> None:
    put(folder, "case.toml", "".join(f'[[tunnel]]\nname = "t{n}"\nends = ["n{n}", "s{n}"]\n' for n in range(count)))


def peers_of_a_log(folder: Path, count: int) -> None:
    text = "2026-05-04T09:{m:02d}:{s:02d}Z ike: no proposal chosen, peer 198.{a}.{b}.{c}\n"
    put(
        folder,
        "north/ike.log",
        "".join(
            text.format(m=n // 60 % 60, s=n % 60, a=18 + (n >> 16), b=n >> 8 & 255, c=n & 255) for n in range(count)
        ),
    )


def addresses_of_a_rule(folder: Path, count: int) -> None:
    elements = [f"198.{18 + (n >> 15)}.{n >> 7 & 255}.{(n & 127) * 2}" for n in range(count)]
    match = {
        "match": {"op": "==", "left": {"payload": {"protocol": "ip", "field": "saddr"}}, "right": {"set": elements}}
    }
    rows: list[dict[str, object]] = [
        {"table": {"family": "inet", "name": "f"}},
        {
            "chain": {
                "family": "inet",
                "table": "f",
                "name": "c",
                "type": "filter",
                "hook": "forward",
                "prio": 0,
                "policy": "accept",
            }
        },
        {"rule": {"family": "inet", "table": "f", "chain": "c", "handle": 1, "expr": [match, {"drop": None}]}},
    ]
    put(folder, "north/nft.json", json.dumps({"nftables": rows}))
    _two_ends(folder)


def routes_read_twice(folder: Path, count: int) -> None:
    rows = [
        {"dst": f"172.{16 + (n >> 8)}.{n & 255}.0/24", "gateway": "192.0.2.254", "dev": "wan0"} for n in range(count)
    ]
    put(folder, "north/routes-0900.json", json.dumps(rows))
    put(folder, "north/routes-0930.json", json.dumps([row | {"metric": 5} for row in rows]))
    _two_ends(folder)


def ike_messages(folder: Path, count: int) -> None:
    out = [struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65_535, 101)]
    for n in range(count):
        sealed = struct.pack(">BBHI", 0, 0, 56, n) + bytes(48)
        ike = struct.pack(">QQBBBBII", n // 100 + 1, 1, 46, 0x20, 37, 8, n % 100, 28 + len(sealed)) + sealed
        udp = struct.pack(">HHHH", 500, 500, 8 + len(ike), 0) + ike
        ends = bytes((192, 0, 2, 1)), bytes((198, 51, 100, 7))
        packet = struct.pack(">BBHHHBBH4s4s", 0x45, 0, 20 + len(udp), n & 65_535, 0, 64, 17, 0, *ends) + udp
        out.append(
            struct.pack("<IIII", 1_777_885_200 + n // 1_000, n % 1_000 * 1_000, len(packet), len(packet)) + packet
        )
    put(folder, "north/ike.pcap", b"".join(out))


def _two_ends(folder: Path) -> None:
    for site, own, peer, near, far in (("north", 1, 2, 1, 2), ("south", 2, 1, 2, 1)):
        put(
            folder,
            f"sites/{site}.toml",
            f'site = "{site}"\n[[tunnel]]\nname = "t"\npeer_site = "{"south" if site == "north" else "north"}"\nlocal = "192.0.2.{own}"\n'
            f'peer = "192.0.2.{peer}"\nlocal_ts = ["10.{near}.0.0/16"]\nremote_ts = ["10.{far}.0.0/16"]\n',
        )


SIZES: dict[str, tuple[Callable[[Path, int], None], int]] = {
    "tunnels in a sheet": (tunnels_in_a_sheet, 2_000),
    "tunnels in case.toml": (declared_tunnels, 2_500),
    "peers of a log": (peers_of_a_log, 10_000),
    "addresses of one rule": (addresses_of_a_rule, 10_000),
    "routes read twice": (routes_read_twice, 1_500),
    "IKE messages": (ike_messages, 200_000),
}
"""What there is much of -> (a case with so many, how many)."""
