"""Honest inputs of the kinds that no recorded case holds: model data of every module that is read, and what systems print.

For `tools/fuzz_cases.py`.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT / "tests" / "ingest"), str(ROOT / "tests")]

from test_osstates import LIST  # noqa: E402

from stomion.ingest.sheet import read_sheet  # noqa: E402
from stomion.ingest.yang import ike_data  # noqa: E402
from twosheets import LEFT, RIGHT, SHEET  # noqa: E402

NEAR, FAR = "192.0.2.10", "198.51.100.34"


def _address(version: int, ip: str, length: int) -> dict[str, object]:
    return {f"ietf-ip:ipv{version}": {"address": [{"ip": ip, "prefix-length": length}]}}


def _route(prefix: str, **hop: str) -> dict[str, object]:
    return {"destination-prefix": prefix, "next-hop": hop, "preference": 5}


def _ace(name: str, word: str, **matches: object) -> dict[str, object]:
    return {"name": name, "matches": matches, "actions": {"forwarding": f"ietf-access-control-list:{word}"}}


MODULES: dict[str, object] = {
    "ietf-interfaces:interfaces": {
        "interface": [
            {"name": "wan0", **_address(4, NEAR, 24)},
            {"name": "lan0", **_address(4, "10.64.0.1", 21), **_address(6, "2001:db8:64::1", 64)},
        ]
    },
    "ietf-routing:routing": {
        "control-plane-protocols": {
            "control-plane-protocol": [
                {
                    "type": "static",
                    "static-routes": {
                        "ietf-ipv4-unicast-routing:ipv4": {
                            "route": [
                                _route("0.0.0.0/0", **{"next-hop-address": "192.0.2.1"}),
                                _route("10.96.0.0/20", **{"outgoing-interface": "wan0"}),
                                _route("10.0.0.0/8", **{"special-next-hop": "blackhole"}),
                            ]
                        },
                        "ietf-ipv6-unicast-routing:ipv6": {"route": [_route("::/0")]},
                    },
                }
            ]
        }
    },
    "ietf-access-control-list:acls": {
        "acl": [
            {
                "name": "in",
                "aces": {
                    "ace": [
                        _ace("esp", "accept", ipv4={"protocol": 50, "source-ipv4-network": "198.51.100.0/24"}),
                        _ace("ike", "drop", udp={"destination-port": {"operator": "eq", "port": 500}}),
                        _ace("web", "reject", tcp={"destination-port": {"lower-port": 80, "upper-port": 443}}),
                    ]
                },
            }
        ]
    },
    "ietf-nat:nat": {
        "instances": {
            "instance": [
                {
                    "id": 1,
                    "policy": [{"id": 1, "external-ip-address-pool": [{"pool-id": 1, "external-ip-pool": "192.0.2.10/32"}]}],
                    "mapping-table": {
                        "mapping-entry": [
                            {"index": 1, "internal-src-address": "10.64.0.5/32", "external-src-address": "192.0.2.11/32"}
                        ]
                    },
                }
            ]
        }
    },
    "ietf-i2nsf-ikeless:ipsec-ikeless": {
        "sad": {
            "sad-entry": [
                {
                    "name": "out", "reqid": 1,
                    "ipsec-sa-config": {
                        "spi": 0xC1A2B3D4, "tunnel": {"local": NEAR, "remote": FAR},
                        "esp-sa": {"encryption": {"encryption-algorithm": 12, "key": "aa:bb"}, "integrity": {"integrity-algorithm": 12}},
                    },
                    "ipsec-sa-state": {"sa-lifetime-current": {"bytes": 8400, "packets": 100}, "replay-stats": {"packet-dropped": 2}},
                },
                {"name": "in", "ipsec-sa-config": {"spi": 0x0A1B2C3D, "tunnel": {"local": FAR, "remote": NEAR}}},
            ]
        }
    },
}  # fmt: skip
POLICIES = """src 10.64.0.0/21 dst 10.96.0.0/20
\tdir out priority 375423 ptype main
\ttmpl src 192.0.2.10 dst 198.51.100.34
\t\tproto esp spi 0xc1a2b3d4 reqid 1 mode tunnel
src 10.96.0.0/20 dst 10.64.0.0/21
\tdir fwd priority 375423 ptype main
\ttmpl src 198.51.100.34 dst 192.0.2.10
\t\tproto esp reqid 1 mode tunnel
"""
DROPS = "XfrmInError                     0\nXfrmInStateProtoError           7\nXfrmInStateSeqError             12\nXfrmInNoStates 3\n"
LINKS = [{"ifname": "wan0", "stats64": {"rx": {"packets": 90, "errors": 7, "dropped": 1, "crc_errors": 7}}}]
COLUMNS = """at;site;spi_in;spi_out;packets_in;bytes_in;packets_out;bytes_out;local_ts;errors.replay
2026-05-04T09:10:00Z;quayhead;c1a2b3d4;0a1b2c3d;10;840;20;1680;10.64.0.0/21 10.65.0.0/21;0
2026-05-04T09:12:00Z;quayhead;c1a2b3d4;0a1b2c3d;14;1176;28;2352;;4
"""


def more_cases() -> list[dict[str, bytes]]:
    """One case with the model data of one end, and one with what its system prints."""
    sheets = {"sites/quayhead.toml": SHEET.format(**LEFT), "sites/marram.toml": SHEET.format(**RIGHT)}
    model = ike_data(read_sheet(sheets["sites/quayhead.toml"]).sheet)
    modules = {f"quayhead/{n}.json": json.dumps({name: data}) for n, (name, data) in enumerate(MODULES.items())}
    one = {**sheets, "quayhead/ike.json": json.dumps(model), **modules}
    other = {
        **sheets, "quayhead/states.txt": LIST, "quayhead/policies.txt": POLICIES, "quayhead/drops.txt": DROPS,
        "quayhead/forwarding.txt": "net.ipv4.ip_forward = 0\nnet.ipv6.conf.all.forwarding = 1\n",
        "quayhead/links.json": json.dumps(LINKS), "quayhead/poll.csv": COLUMNS,
        "path/pasted.txt": (ROOT / "tests" / "trials" / "pasted.txt").read_text(),
    }  # fmt: skip
    return [{name: text.encode() for name, text in files.items()} for files in (one, other)]
