"""A fleet for size alone: one hub and as many spokes as wanted, with sheets, logs, counters and tests, and a fault at some of them."""

from __future__ import annotations

import json
import random
from collections.abc import Iterator
from datetime import UTC, datetime

HUB, DOMAIN = "192.0.2.10", "lanternreef.example"
BEGIN = datetime(2026, 5, 4, 6, 0, 0, tzinfo=UTC).timestamp()
FAULTS = ("", "", "", "proposal", "", "key", "", "selectors", "", "silent")
"""What is wrong with a spoke, in turn; most have nothing."""
READINGS, READ_EVERY_S = 12, 300.0
MOST = 4_000
_NOISE = (
    "flow allow src=10.{a}.{b}.{c} dst=198.51.100.{c}:443 bytes={d} rule=web-out",
    "dhcp lease 10.{a}.{b}.{c} renewed for 3600 s",
    "ntp offset 0.{d} ms against 198.51.100.1",
    "flow deny src=203.0.113.{c}:4{d} dst={own}:22 rule=last",
)


def fleet_files(count: int, lines: int = 1_000, seed: str = "fleet") -> Iterator[tuple[str, bytes]]:
    """(name, content) of every file; the hub's last, as it knows all spokes. Raises ValueError for a number that is none, or too large."""
    if not 1 <= count <= MOST:
        raise ValueError(f"{count:,} tunnels; 1 to {MOST:,} are made")
    hub_sheet = [f'site = "quayhead"\n\n[[interface]]\nname = "wan0"\naddresses = ["{HUB}/24"]\n']
    hub_log: list[tuple[float, str]] = []
    hub_counters: list[dict[str, object]] = []
    tests: list[dict[str, object]] = []
    for number in range(count):
        spoke = _Spoke(number, random.Random(f"{seed} {number}"))
        yield f"sites/{spoke.name}.toml", spoke.sheet().encode()
        yield f"{spoke.name}/ike.log", spoke.log(lines).encode()
        if spoke.up:
            yield f"{spoke.name}/counters.jsonl", _records(spoke.counters(spoke.name))
            hub_counters += spoke.counters("quayhead")
        hub_sheet.append(spoke.at_hub())
        hub_log += spoke.hub_lines()
        tests += spoke.tests()
    yield "case.toml", b'title = "A fleet of stations"\n'
    yield "sites/quayhead.toml", "".join(hub_sheet).encode()
    yield "quayhead/ike.log", ("\n".join(text for _, text in sorted(hub_log)) + "\n").encode()
    yield "quayhead/counters.jsonl", _records(hub_counters)
    yield "path/tests.jsonl", _records(tests)


def _records(rows: list[dict[str, object]]) -> bytes:
    return ("\n".join(json.dumps(r) for r in rows) + "\n").encode()


def _stamp(at: float) -> str:
    return datetime.fromtimestamp(at, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


class _Spoke:
    """One station and what both ends tell of it."""

    def __init__(self, number: int, chance: random.Random) -> None:
        self.number, self.chance = number, chance
        self.name = f"station{number + 1:04d}"
        self.fault = FAULTS[number % len(FAULTS)]
        self.address = f"203.0.{113 + number // 250}.{1 + number % 250}"
        self.lan = f"10.{100 + number // 250}.{number % 250}.0/24"
        self.hub_lan = "10.96.0.0/20"
        self.at = BEGIN + 3 * number % 600
        self.up = self.fault in ("", "silent")
        self.spis = chance.randbytes(4).hex(), chance.randbytes(4).hex()

    def _tunnel(self, own: tuple[str, str, str, str], far: tuple[str, str, str, str], group: int, start: str) -> str:
        return (
            f'\n[[tunnel]]\nname = "quayhead-{self.name}"\npeer_site = "{far[0]}"\nlocal = "{own[1]}"\npeer = "{far[1]}"\nike = 2\n'
            f'initiate = "{start}"\nauth = "psk"\nlocal_id = "{own[0]}.{DOMAIN}"\nremote_id = "{far[0]}.{DOMAIN}"\n'
            f'local_ts = ["{own[2]}"]\nremote_ts = ["{far[3]}"]\n[[tunnel.ike_proposal]]\nencryption = ["AES-GCM-16-256"]\n'
            f'prf = ["HMAC-SHA2-384"]\ngroup = [{group}]\nlifetime_s = 28800\n[[tunnel.esp_proposal]]\nencryption = ["AES-GCM-16-256"]\n'
            f"group = [20]\nlifetime_s = 3600\n"
        )

    @property
    def _ends(self) -> tuple[tuple[str, str, str, str], tuple[str, str, str, str]]:
        """(site, address, own range, own range as the far end means it) of the hub and of the spoke."""
        meant = self.lan if self.fault != "selectors" else self.lan.replace("/24", "/25")
        return ("quayhead", HUB, self.hub_lan, self.hub_lan), (self.name, self.address, meant, self.lan)

    def at_hub(self) -> str:
        """The tunnel in the hub's sheet."""
        hub, spoke = self._ends
        return self._tunnel(hub, spoke, 20, "never")

    def sheet(self) -> str:
        """The spoke's sheet."""
        hub, spoke = self._ends
        gateway = self.lan.replace(".0/24", ".1/24")
        head = f'site = "{self.name}"\n\n[[interface]]\nname = "wan0"\naddresses = ["{self.address}/24"]\n\n'
        head += f'[[interface]]\nname = "lan0"\naddresses = ["{gateway}"]\n'
        return head + self._tunnel(spoke, hub, 14 if self.fault == "proposal" else 20, "always")

    def _line(self, at: float, who: str, text: str) -> tuple[float, str]:
        return at, f"{_stamp(at)} {who} ike {text}"

    def _story(self, own: bool) -> list[tuple[float, str]]:
        """What one end says of the negotiation and its rekeys."""
        who, peer = (self.name, HUB) if own else ("quayhead", self.address)
        number = self.number + 1

        def say(at: float, text: str) -> tuple[float, str]:
            return self._line(self.at + at, who, f"[{number}] {text}")

        offer = f"AES-GCM-16-256 · PRF HMAC-SHA2-384 · group {14 if self.fault == 'proposal' else 20}"
        asks = f"tunnel quayhead-{self.name}: initiating IKEv2 to {peer}:500, offering {offer}"
        rows = [say(0, asks if own else f"{peer}:500 is initiating IKEv2 with us as responder")]
        if self.fault == "proposal":
            told = f"NO_PROPOSAL_CHOSEN received from {peer}, IKE SA refused"
            wants = "AES-GCM-16-256 · PRF HMAC-SHA2-384 · group 20"
            mine = f"no IKE proposal in common with {peer}: received {offer}; allowed here {wants}"
            return [*rows, say(0.1, told if own else mine)]
        rows.append(say(0.1, f"IKE proposal agreed with {peer}: {offer}"))
        if self.fault == "key":
            mine = f"peer {self.name}.{DOMAIN} at {peer} refused: the proof does not match our pre-shared key"
            return [*rows, say(0.2, f"AUTHENTICATION_FAILED received from {peer}" if own else mine)]
        far = "quayhead" if own else self.name
        rows.append(say(0.2, f"IKE SA with {far}.{DOMAIN} ({peer}) established, rekey in 28800 s"))
        near, there = (self.lan, self.hub_lan) if own else (self.hub_lan, self.lan)
        if self.fault == "selectors":
            asked = f"received {self.hub_lan} <=> {self.lan.replace('/24', '/25')}, configured {near} <=> {there}"
            told = f"TS_UNACCEPTABLE received from {peer}: no Child SA for {near} <=> {there}, IKE SA kept"
            return [*rows, say(0.3, told if own else f"selectors refused for {peer}: {asked}")]
        into, out = self.spis if own else self.spis[::-1]
        rows.append(
            say(0.3, f"Child SA quayhead-{self.name} up: SPI in {into} out {out}, {near} <=> {there}, AES-GCM-16-256")
        )
        return rows

    def hub_lines(self) -> list[tuple[float, str]]:
        """The hub's lines about this spoke."""
        return self._story(own=False)

    def log(self, lines: int) -> str:
        """The spoke's log: its own story between many lines of other matters."""
        rows = self._story(own=True)
        numbers = self.chance.randbytes(4 * max(0, lines - len(rows)))
        for n in range(max(0, lines - len(rows))):
            a, b, c, d = numbers[4 * n : 4 * n + 4]
            text = _NOISE[n % len(_NOISE)].format(a=a, b=b, c=c, d=100 + d, own=self.address)
            rows.append((BEGIN + 3.6 * n, f"{_stamp(BEGIN + 3.6 * n)} {self.name} {text}"))
        return "\n".join(text for _, text in sorted(rows)) + "\n"

    def counters(self, site: str) -> list[dict[str, object]]:
        """Readings at one end; a silent station's packets never come back."""
        into, out = self.spis if site == self.name else self.spis[::-1]
        rows: list[dict[str, object]] = []
        for n in range(READINGS):
            sent, back = 40 * n, 0 if self.fault == "silent" else 38 * n
            packets = (back, sent) if site == "quayhead" else (sent, back)
            rows.append({
                "kind": "counters", "at": _stamp(self.at + 10 + READ_EVERY_S * n), "site": site, "tunnel": f"quayhead-{self.name}",
                "spi_in": into, "spi_out": out, "packets_in": packets[0], "bytes_in": 84 * packets[0], "packets_out": packets[1],
                "bytes_out": 84 * packets[1],
            })  # fmt: skip
        return rows

    def tests(self) -> list[dict[str, object]]:
        """A ping each way."""
        host = self.lan.replace(".0/24", ".20")
        answered = 5 if self.fault == "" else 0
        common: dict[str, object] = {"kind": "test", "service": "icmp", "sent": 5, "received": answered}
        common |= {} if answered else {"error": "timeout"}
        at = self.at + 400
        return [
            {**common, "at": _stamp(at), "from": "quayhead/host-a", "to": host},
            {**common, "at": _stamp(at + 5), "from": f"{self.name}/host-b", "to": "10.96.0.10"},
        ]
