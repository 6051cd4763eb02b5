"""A gateway made of a network namespace: random tables loaded into the operating system, real packets put in and watched for.

Needs root, `ip` and `nft`. All traffic stays between two namespaces that are made here and taken away again.
"""

from __future__ import annotations

import ctypes
import json
import os
import select
import shutil
import socket
import struct
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from ipaddress import ip_address, ip_network

from plain import ICMP, NUMBERS, Machine, Packet, PlainRoute, nft_objects, routing_rules

GATE, SINK = f"stomion-gate-{os.getpid()}", f"stomion-sink-{os.getpid()}"
DEVS = ("lan0", "tun0", "wan0", "wan1")
WAIT_S = 0.25
_NEWNET = 0x40000000


class Refused(Exception):
    """The system does not take such a table: a next hop that another route leads to is on no link."""


def run(*command: str, stdin: str = "") -> str:
    done = subprocess.run(command, input=stdin, capture_output=True, text=True, check=False)
    if done.returncode and "No route to host" in done.stderr:
        raise Refused(done.stderr)
    if done.returncode:
        raise RuntimeError(f"{' '.join(command)}: {done.stderr.strip()}\n{stdin[:2000]}")
    return done.stdout


def missing() -> str:
    """Why no kernel can be asked here; empty where one can."""
    if os.geteuid() != 0 or not all(map(shutil.which, ("ip", "nft"))):
        return "needs root, ip and nft"
    try:
        with namespaces():
            run("ip", "netns", "exec", GATE, "nft", "add", "table", "inet", "t")
    except (RuntimeError, OSError) as error:
        return f"no network namespaces with nftables here: {error}"
    return ""


@contextmanager
def namespaces() -> Iterator[None]:
    """Two empty namespaces, taken away afterwards."""
    for name in (GATE, SINK):
        subprocess.run(["ip", "netns", "del", name], capture_output=True, check=False)
    try:
        for name in (GATE, SINK):
            run("ip", "netns", "add", name)
        yield
    finally:
        for name in (GATE, SINK):
            subprocess.run(["ip", "netns", "del", name], capture_output=True, check=False)


@contextmanager
def inside(name: str) -> Iterator[None]:
    """This thread in a namespace for as long as it takes to open sockets there."""
    libc = ctypes.CDLL(None, use_errno=True)
    with open(f"/proc/self/task/{os.gettid() if hasattr(os, 'gettid') else os.getpid()}/ns/net") as home:  # noqa: PTH123
        with open(f"/run/netns/{name}") as there:  # noqa: PTH123
            if libc.setns(there.fileno(), _NEWNET):
                raise OSError(ctypes.get_errno(), "setns")
        try:
            yield
        finally:
            libc.setns(home.fileno(), _NEWNET)


class Gate:
    """The loaded gateway with a socket at the far end of each of its cables."""

    def __init__(self, m: Machine) -> None:
        self.m = m
        _cables(m)
        _load(m)
        self.macs = {d: _mac(GATE, d) for d in DEVS}
        with inside(SINK):
            self.wires = {d: socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(3)) for d in DEVS}
            for dev, wire in self.wires.items():
                wire.bind((f"x{dev}", 0))
        self.serial = 0

    def close(self) -> None:
        for wire in self.wires.values():
            wire.close()

    def said(self) -> dict[str, list[str]]:
        """The gateway's tables in the system's own words, by their kinds."""

        def ask(*command: str) -> str:
            return run("ip", "netns", "exec", GATE, *command) or "[]"

        return {
            "addresses": [ask("ip", "-j", "addr")],
            "routes": [ask("ip", "-j", *v, "route", "show", "table", "all") for v in ((), ("-6",))],
            "rules": [ask("ip", "-j", *v, "rule") for v in ((), ("-6",))],
            "filter rules": [ask("nft", "-j", "list", "ruleset")],
        }

    def send(self, dev: str, packet: Packet, answer: bool = False) -> tuple[str, str, str] | None:
        """Put a packet in at an interface: (interface it leaves by, source, destination), or None where it does not."""
        self.serial += 1
        mark = b"stomion!" + struct.pack("!I", self.serial)
        kind = 0x0800 if packet.version == 4 else 0x86DD
        frame = self.macs[dev] + b"\x02" + b"\0" * 5 + struct.pack("!H", kind) + _ip(packet, mark, answer)
        self.wires[dev].send(frame)
        end = time.monotonic() + WAIT_S
        while (left := end - time.monotonic()) > 0:
            ready, _, _ = select.select(list(self.wires.values()), [], [], left)
            for out, wire in self.wires.items():
                if wire in ready:
                    data, origin = wire.recvfrom(4096)
                    if mark in data and origin[2] != socket.PACKET_OUTGOING and (found := _addresses(data)):
                        return out, *found
        return None


def _addresses(frame: bytes) -> tuple[str, str] | None:
    """The addresses of a packet; None for an ICMP error that quotes one."""
    kind, body = frame[12:14], frame[14:]
    if kind == b"\x08\x00":
        if body[9] == 1 and body[20] not in (0, 8):
            return None
        return str(ip_address(body[12:16])), str(ip_address(body[16:20]))
    if body[6] == 58 and body[40] not in (128, 129):
        return None
    return str(ip_address(body[8:24])), str(ip_address(body[24:40]))


def _mac(name: str, dev: str) -> bytes:
    (row,) = json.loads(run("ip", "-n", name, "-j", "link", "show", dev))
    return bytes.fromhex(row["address"].replace(":", ""))


def _cables(m: Machine) -> None:
    switches = {
        "net.ipv4.ip_forward": int(m.forwarding), "net.ipv6.conf.all.forwarding": int(m.forwarding), "net.ipv4.conf.all.rp_filter": 0,
        "net.ipv4.conf.default.rp_filter": 0, "net.ipv6.conf.default.accept_dad": 0, "net.ipv4.conf.all.send_redirects": 0,
        "net.ipv4.conf.default.send_redirects": 0, "net.ipv6.conf.default.router_solicitations": 0,
    }  # fmt: skip
    run("ip", "netns", "exec", GATE, "sysctl", "-qw", *(f"{k}={v}" for k, v in switches.items()))
    lines = ["link set lo up"]
    for dev in DEVS:
        lines += [f"link add {dev} type veth peer name x{dev} netns {SINK}", f"link set {dev} arp off up"]
    run("ip", "-n", GATE, "-batch", "-", stdin="\n".join(lines))
    run("ip", "-n", SINK, "-batch", "-", stdin="\n".join(f"link set x{dev} up" for dev in DEVS))


def _load(m: Machine) -> None:
    lines = []
    for dev, addresses in m.addresses.items():
        lines += [f"addr add {a} dev {dev}" + (" nodad" if ":" in a else "") for a in addresses]
    lines += [_route(r) for r in m.routes]
    for version in (4, 6):
        for r in routing_rules(m, version):
            if 0 < r.priority < 32766:
                mark = f" fwmark {r.mark:#x}/{r.mask:#x}" if r.mark is not None else ""
                source = r.source or "all"
                lines.append(
                    f"-{version} rule add priority {r.priority} from {source}{mark} {r.action or 'table ' + r.table}"
                )
    run("ip", "-n", GATE, "-batch", "-", stdin="\n".join(x for x in lines if not x.startswith("-")))
    for version in (4, 6):
        mine = [x.removeprefix(f"-{version} ") for x in lines if x.startswith(f"-{version} ")]
        run("ip", f"-{version}", "-n", GATE, "-batch", "-", stdin="\n".join(mine))
    objects = [{"add": x} for x in nft_objects(m)]
    run("ip", "netns", "exec", GATE, "nft", "-j", "-f", "-", stdin=json.dumps({"nftables": objects}))


def _route(r: PlainRoute) -> str:
    version = ip_network(r.destination).version
    kind = "" if r.kind == "unicast" else f"{r.kind} "
    out = f"-{version} route add {kind}{r.destination} table {r.table}" + (f" metric {r.metric}" if r.metric else "")
    if len(r.hops) == 1:
        dev, via = r.hops[0]
        return out + (f" via {via}" if via else "") + f" dev {dev}"
    return out + "".join(f" nexthop{f' via {v}' if v else ''} dev {d}" for d, v in r.hops)


def _sum(data: bytes) -> int:
    total = sum(struct.unpack(f"!{(len(data) + 1) // 2}H", data + b"\0" * (len(data) % 2)))
    while total >> 16:
        total = (total & 0xFFFF) + (total >> 16)
    return ~total & 0xFFFF


def _ip(p: Packet, mark: bytes, answer: bool) -> bytes:
    """The packet with right checksums: connection tracking takes no other."""
    number = NUMBERS.get(p.service) or ICMP[p.version]
    if p.service == "icmp":
        head, at = struct.pack("!BBHHH", p.port, 0, 0, 77, 1), 2
    elif p.service == "udp":
        head, at = struct.pack("!HHHH", p.sport, p.port, 8 + len(mark), 0), 6
    else:
        flags = 0x12 if answer else 0x02
        head, at = (
            struct.pack("!HHIIBBHHH", p.sport, p.port, 1000, 1001 if answer else 0, 5 << 4, flags, 8192, 0, 0),
            16,
        )
    body = head + mark
    source, destination = p.source.packed, p.destination.packed
    pseudo = b"" if number == 1 else source + destination + struct.pack("!II", len(body), number)
    body = body[:at] + struct.pack("!H", _sum(pseudo + body) or 0xFFFF) + body[at + 2 :]
    if p.version == 6:
        return struct.pack("!IHBB", 6 << 28, len(body), number, 60) + source + destination + body
    plain = struct.pack("!BBHHHBBH", 0x45, 0, 20 + len(body), 1, 0, 60, number, 0) + source + destination
    return plain[:10] + struct.pack("!H", _sum(plain)) + plain[12:] + body
