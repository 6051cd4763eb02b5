"""The demo case: the observatory's tunnels, played through by stand-in gateways in virtual time."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import partial

from stomion.standin.chance import Chance
from stomion.standin.configuration import Peer, Session, Suite
from stomion.standin.dialects import LEDGERED, TALKATIVE
from stomion.standin.gateway import Gateway
from stomion.standin.gateway_v1 import MainMode, PeerV1
from stomion.standin.network import Network, Parcel, Tap

SEED = "lanternreef"
START = datetime(2026, 5, 4, 9, 14, 0, tzinfo=UTC).timestamp()
QUAYHEAD, FARLIGHT, SALTERN, MARRAM = "192.0.2.10", "198.51.100.20", "203.0.113.10", "198.51.100.34"
DRIFTWOOD, BRACKISH, STRANGER = "203.0.113.77", "198.51.100.200", "203.0.113.222"
LANS = {
    "quayhead": "10.96.0.0/20",
    "farlight": "10.98.0.0/20",
    "saltern": "10.64.0.0/21",
    "marram": "10.66.0.0/21",
    "driftwood": "10.68.0.0/22",
    "brackish-freight": "10.72.16.0/22",
}
DOMAIN = "lanternreef.example"

STRONG = Suite(((20, 256),), (6,), (), (20, 19))
FOURTEEN = Suite(((20, 256),), (6,), (), (14,))
ESP = Suite(((12, 256),), (), (12,), (20,), 3)
ESP_FOURTEEN = Suite(((12, 256),), (), (12,), (14,), 3)


@dataclass(slots=True)
class Counter:
    """The packets one end has put into and taken out of its Child SAs, per SPI pair, with readings of it."""

    site: str
    tunnel: str
    local: str
    remote: str
    session: Session | None = None
    out: int = 0
    back: int = 0
    readings: list[dict[str, object]] = field(default_factory=list)

    def fresh(self, session: Session) -> None:
        """A new Child SA begins at zero."""
        self.session, self.out, self.back = session, 0, 0

    def read(self, at: float) -> None:
        """Note the state at a moment."""
        if self.session is None:
            return
        self.readings.append(
            {
                "kind": "counters",
                "at": _rfc3339(at),
                "site": self.site,
                "tunnel": self.tunnel,
                "spi_in": self.session.spi_in.hex(),
                "spi_out": self.session.spi_out.hex(),
                "packets_in": self.back,
                "bytes_in": self.back * 84,
                "packets_out": self.out,
                "bytes_out": self.out * 84,
                "local_ts": [self.local],
                "remote_ts": [self.remote],
                "encapsulation": "udp",
            }
        )


def demo_files(seed: str = SEED) -> dict[str, bytes]:
    """All files of the demo case by their names; the same for the same seed."""
    net = Network(START)
    taps = {"quayhead": Tap(), "farlight": Tap(offset=0.118)}
    quayhead = Gateway("quayhead", QUAYHEAD, f"quayhead.{DOMAIN}", LEDGERED, seed)
    farlight = Gateway("farlight", FARLIGHT, f"farlight.{DOMAIN}", LEDGERED, seed, offset=0.118)
    saltern = Gateway("saltern", SALTERN, f"saltern.{DOMAIN}", TALKATIVE, seed)
    marram = Gateway("marram", MARRAM, f"marram.{DOMAIN}", TALKATIVE, seed, offset=0.017)
    for gateway in (quayhead, farlight, saltern, marram):
        net.attach(gateway.address, gateway.receive, taps.get(gateway.name))
    for address, delay in ((FARLIGHT, 0.011), (SALTERN, 0.019), (MARRAM, 0.0155)):
        net.path(QUAYHEAD, address, delay)
    for gateway in (quayhead, farlight, marram):
        net.at(START - 2, partial(_start, net, gateway))
    tests: list[dict[str, object]] = []
    counters = _farlight(net, quayhead, farlight, tests, seed)
    _marram(net, quayhead, marram)
    _saltern(net, quayhead, saltern)
    counters += _brackish(net, quayhead, seed)
    driftwood = _driftwood(net, quayhead, taps["quayhead"], seed)
    _noise(net, quayhead, seed)
    net.run()
    return _files((quayhead, farlight, marram, driftwood), taps, counters, tests)


def _start(net: Network, gateway: Gateway) -> None:
    gateway.say(net, "start", tunnels=len(gateway.peers))


def _psk(name: str, seed: str = SEED) -> bytes:
    return Chance(seed, "key", name).take(24).hex().encode()


def _join(
    a: Gateway, b: Gateway, ike: tuple[Suite, Suite], lans: tuple[str, str, str, str], **more: object
) -> tuple[Peer, Peer]:
    """Configure both ends for each other; `lans` are (local, remote) at a, then at b."""
    tunnel, key = f"{a.name}-{b.name}", _psk(f"{a.name}-{b.name}")
    at_a = Peer(tunnel, b.address, b.identity, key, ike[0], ESP, lans[0], lans[1])
    at_b = Peer(tunnel, a.address, a.identity, key, ike[1], ESP, lans[2], lans[3])
    for name, value in more.items():
        setattr(at_b, name, value)
    a.peers[b.address], b.peers[a.address] = at_a, at_b
    return at_a, at_b


def _farlight(
    net: Network, quayhead: Gateway, farlight: Gateway, tests: list[dict[str, object]], seed: str
) -> list[Counter]:
    """Healthy: Farlight guesses the wrong group first, is asked for another, and then rekeys twice under traffic."""
    a, b = LANS["quayhead"], LANS["farlight"]
    at_q, at_f = _join(
        quayhead, farlight, (Suite(STRONG.encryption, STRONG.prf, (), (20,)), STRONG), (a, b, b, a), first_group=19
    )
    counters = [Counter("quayhead", at_q.tunnel, a, b), Counter("farlight", at_f.tunnel, b, a)]
    at_q.on_child, at_f.on_child = counters[0].fresh, counters[1].fresh
    net.at(START + 3.2, lambda: farlight.initiate(net, at_f))
    chance = Chance(seed, "esp")
    for index in range(12):
        _burst(net, START + 6 + 20 * index, farlight, quayhead, counters, tests, chance, index)
    for moment in (START + 71, START + 152):
        net.at(moment, lambda: farlight.rekey(net, _last(farlight, QUAYHEAD)))
    return counters


def _last(gateway: Gateway, peer: str) -> Session:
    return [s for s in gateway.sessions.values() if s.peer.address == peer][-1]


def _burst(
    net: Network,
    at: float,
    farlight: Gateway,
    quayhead: Gateway,
    counters: list[Counter],
    tests: list[dict[str, object]],
    chance: Chance,
    index: int,
) -> None:
    """Five echo requests from one LAN to the other and their answers, through the tunnel."""
    from_farlight = index % 2 == 0
    source, target = (farlight, quayhead) if from_farlight else (quayhead, farlight)
    out, back = (counters[1], counters[0]) if from_farlight else (counters[0], counters[1])
    hosts = {"quayhead": "10.96.0.10", "farlight": "10.98.0.15"}
    for n in range(5):
        net.at(at + n, _echo(net, source, target, out, back, chance, n))
    for counter in counters:
        net.at(at + 5.5, partial(counter.read, at + 5.5))
    tests.append(
        {
            "kind": "test",
            "at": _rfc3339(at),
            "from": f"{source.name}/host-a",
            "to": hosts[target.name],
            "service": "icmp",
            "sent": 5,
            "received": 5,
            "rtt_ms": [round(chance.between(23.8, 26.4), 1) for _ in range(5)],
            "expected": "reach",
        }
    )


def _echo(
    net: Network, source: Gateway, target: Gateway, out: Counter, back: Counter, chance: Chance, n: int
) -> Callable[[], None]:
    def go() -> None:
        if out.session is None or back.session is None:
            return
        _esp(net, source, target, out.session.spi_out, n, chance)
        out.out += 1
        back.back += 1
        spi = back.session.spi_out
        net.after(0.0125, lambda: _esp(net, target, source, spi, n, chance))
        back.out += 1
        out.back += 1

    return go


def _esp(net: Network, source: Gateway, target: Gateway, spi: bytes, n: int, chance: Chance) -> None:
    net.send(Parcel(source.address, 4500, target.address, 4500, spi + (n + 1).to_bytes(4, "big") + chance.take(128)))


def _marram(net: Network, quayhead: Gateway, marram: Gateway) -> None:
    """Selectors: Marram's own side has the wrong mask. Quayhead asks for the whole LAN and is refused."""
    a, b = LANS["quayhead"], LANS["marram"]
    at_q, _ = _join(quayhead, marram, (STRONG, STRONG), (a, b, "10.66.0.0/22", a))
    for moment in (START + 7.1, START + 67.4, START + 128.0):
        net.at(moment, lambda: quayhead.initiate(net, at_q))


def _saltern(net: Network, quayhead: Gateway, saltern: Gateway) -> None:
    """No common group: Saltern starts every 30 s by itself, ignores the refusal and repeats itself four times."""
    a, b = LANS["quayhead"], LANS["saltern"]
    _, at_s = _join(quayhead, saltern, (STRONG, FOURTEEN), (a, b, b, a), first_group=14, heeds_refusal=False, tries=4)
    for n in range(14):
        net.at(START + 20 + 30 * n, lambda: saltern.initiate(net, at_s))


def _brackish(net: Network, quayhead: Gateway, seed: str) -> list[Counter]:
    """PFS differs: the first child works, every rekey that Brackish Freight asks for is refused. Its own evidence is not ours."""
    freight = Gateway("brackish-freight", BRACKISH, "vpn.brackish-freight.example", TALKATIVE, seed)
    net.attach(BRACKISH, freight.receive)
    net.path(QUAYHEAD, BRACKISH, 0.028)
    a, b = LANS["quayhead"], LANS["brackish-freight"]
    at_q, at_b = _join(quayhead, freight, (STRONG, STRONG), (a, b, b, a), child=ESP_FOURTEEN)
    counters = [Counter("quayhead", at_q.tunnel, a, b)]
    at_q.on_child = counters[0].fresh
    net.at(START + 11.4, lambda: freight.initiate(net, at_b))
    for moment in (START + 131.4, START + 191.4, START + 251.4):
        net.at(moment, lambda: freight.rekey(net, _last(freight, QUAYHEAD)))
    other = Counter("brackish-freight", at_b.tunnel, b, a)
    at_b.on_child = other.fresh
    chance = Chance(seed, "freight")
    for index in range(6):
        for n in range(3):
            net.at(START + 20 + 15 * index + n, _echo(net, freight, quayhead, other, counters[0], chance, n))
        net.at(START + 24 + 15 * index, partial(counters[0].read, START + 24 + 15 * index))
    return counters


def _driftwood(net: Network, quayhead: Gateway, tap: Tap, seed: str) -> MainMode:
    """IKEv1, and the key was mistyped at one end: message 5 makes no sense at Driftwood."""
    hub = MainMode("quayhead", QUAYHEAD, quayhead.identity, LEDGERED, seed, lines=quayhead.lines)
    far = MainMode("driftwood", DRIFTWOOD, f"driftwood.{DOMAIN}", TALKATIVE, seed, offset=-0.4)
    hub.peers[DRIFTWOOD] = PeerV1("quayhead-driftwood", DRIFTWOOD, far.identity, _psk("quayhead-driftwood", seed))
    far.peers[QUAYHEAD] = PeerV1("quayhead-driftwood", QUAYHEAD, hub.identity, _psk("quayhead-driftwod", seed))

    def shared(network: Network, parcel: Parcel) -> None:
        (hub if parcel.src == DRIFTWOOD else quayhead).receive(network, parcel)

    net.attach(QUAYHEAD, shared, tap)
    net.attach(DRIFTWOOD, far.receive)
    net.path(QUAYHEAD, DRIFTWOOD, 0.022)
    for moment in (START + 33.5, START + 153.5, START + 273.5):
        net.at(moment, lambda: hub.initiate(net, hub.peers[DRIFTWOOD]))
    return far


_OTHER_BUSINESS = (
    "flow allow src=10.96.0.{0} dst=198.51.100.{1}:443 bytes={2} rule=web-out",
    "flow deny src=203.0.113.{1}:4{2} dst=192.0.2.10:22 rule=last",
    "dhcp lease 10.96.0.{0} renewed for 3600 s",
    "ntp offset 0.{2} ms against 198.51.100.1",
    "login ok user=helm from 10.96.0.{0}",
)


def _noise(net: Network, quayhead: Gateway, seed: str) -> None:
    """What stands between the lines that matter, and a stranger who knocks."""
    chance = Chance(seed, "noise")
    for n in range(160):
        text = _OTHER_BUSINESS[n % len(_OTHER_BUSINESS)]
        numbers = [int(chance.between(2, 250)), int(chance.between(2, 250)), int(chance.between(100, 999))]
        net.at(START + chance.between(0, 440), partial(_remark, net, quayhead, text.format(*numbers)))
    stranger = Gateway("stranger", STRANGER, "nobody.example", TALKATIVE, seed)
    net.attach(STRANGER, stranger.receive)
    peer = Peer("probe", QUAYHEAD, "", b"x", FOURTEEN, ESP, "10.0.0.0/8", "10.0.0.0/8", first_group=14, tries=1)
    for moment in (START + 95.0, START + 301.0):
        net.at(moment, lambda: stranger.initiate(net, peer))


def _remark(net: Network, gateway: Gateway, text: str) -> None:
    gateway.lines.append(gateway.dialect.stamp(net.now + gateway.offset, gateway.name).removesuffix("ike ") + text)


def _files(
    gateways: tuple[Gateway, Gateway, Gateway, MainMode],
    taps: dict[str, Tap],
    counters: list[Counter],
    tests: list[dict[str, object]],
) -> dict[str, bytes]:
    quayhead, farlight, marram, driftwood = gateways
    return {
        "case.toml": _CASE.encode(),
        "sites/quayhead.toml": _QUAYHEAD.encode(),
        "sites/farlight.toml": _FARLIGHT.encode(),
        "sites/marram.toml": _MARRAM.encode(),
        "quayhead/ike.log": _text(quayhead),
        "quayhead/wan.pcapng": taps["quayhead"].pcapng(),
        "quayhead/counters.jsonl": _records(counters[0].readings + counters[2].readings),
        "farlight/ike.log": _text(farlight),
        "farlight/wan.pcap": taps["farlight"].pcap(),
        "farlight/counters.jsonl": _records(counters[1].readings),
        "marram/gateway.log": _text(marram),
        "driftwood/console.txt": _text(driftwood),
        "path/tests.jsonl": _records(tests),
    }


def _text(gateway: Gateway | MainMode) -> bytes:
    return ("\n".join(gateway.lines) + "\n").encode()


def _records(found: list[dict[str, object]]) -> bytes:
    return ("\n".join(json.dumps(r) for r in found) + "\n").encode()


def _rfc3339(at: float) -> str:
    return datetime.fromtimestamp(round(at, 3), UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


_CASE = """\
title = "Lanternreef Ocean Observatory"

[[tunnel]]
name = "quayhead-farlight"
ends = ["quayhead", "farlight"]

[[tunnel]]
name = "quayhead-saltern"
ends = ["quayhead", "saltern"]

[[tunnel]]
name = "quayhead-marram"
ends = ["quayhead", "marram"]

[[tunnel]]
name = "quayhead-driftwood"
ends = ["quayhead", "driftwood"]

[[tunnel]]
name = "quayhead-brackish-freight"
ends = ["quayhead", "brackish-freight"]
"""

_IKE = """\
[[tunnel.ike_proposal]]
encryption = ["AES-GCM-16-256"]
prf = ["HMAC-SHA2-384"]
group = {groups}
lifetime_s = 28800
[[tunnel.esp_proposal]]
encryption = ["AES-CBC-256"]
integrity = ["HMAC-SHA2-256-128"]
group = [20]
lifetime_s = 3600
"""


def _sheet(site: str, wan: str, lan: str, tunnels: list[str]) -> str:
    head = f'site = "{site}"\n\n[[interface]]\nname = "wan0"\naddresses = ["{wan}"]\nzone = "outside"\n\n'
    head += f'[[interface]]\nname = "lan0"\naddresses = ["{lan}"]\nzone = "inside"\n'
    return head + "".join("\n" + t for t in tunnels)


def _tunnel(
    own: str, peer: str, addresses: tuple[str, str], ts: tuple[str, str], groups: str, initiate: str = "always"
) -> str:
    name = f"quayhead-{peer if own == 'quayhead' else own}"
    return (
        f'[[tunnel]]\nname = "{name}"\npeer_site = "{peer}"\nlocal = "{addresses[0]}"\npeer = "{addresses[1]}"\nike = 2\n'
        f'initiate = "{initiate}"\nauth = "psk"\nlocal_id = "{own}.{DOMAIN}"\nremote_id = "{peer}.{DOMAIN}"\nstyle = "policy"\n'
        f'local_ts = ["{ts[0]}"]\nremote_ts = ["{ts[1]}"]\n' + _IKE.format(groups=groups)
    )


_V1 = """\
[[tunnel.ike_proposal]]
encryption = ["AES-CBC-256"]
integrity = ["HMAC-SHA2-256-128"]
group = [14]
lifetime_s = 28800
[[tunnel.esp_proposal]]
encryption = ["AES-CBC-256"]
integrity = ["HMAC-SHA2-256-128"]
lifetime_s = 3600
"""


def _version_1(peer: str, address: str) -> str:
    text = _tunnel("quayhead", peer, (QUAYHEAD, address), (LANS["quayhead"], LANS[peer]), "[14]")
    return text[: text.index("[[tunnel.ike_proposal]]")].replace("ike = 2", 'ike = 1\nmode = "main"') + _V1


_QUAYHEAD = _sheet(
    "quayhead",
    "192.0.2.10/24",
    "10.96.0.1/20",
    [
        _tunnel("quayhead", "farlight", (QUAYHEAD, FARLIGHT), (LANS["quayhead"], LANS["farlight"]), "[20]", "never"),
        _tunnel("quayhead", "saltern", (QUAYHEAD, SALTERN), (LANS["quayhead"], LANS["saltern"]), "[20, 19]", "never"),
        _tunnel("quayhead", "marram", (QUAYHEAD, MARRAM), (LANS["quayhead"], LANS["marram"]), "[20, 19]"),
        _version_1("driftwood", DRIFTWOOD),
        _tunnel(
            "quayhead",
            "brackish-freight",
            (QUAYHEAD, BRACKISH),
            (LANS["quayhead"], LANS["brackish-freight"]),
            "[20, 19]",
            "never",
        ),
    ],
)
_FARLIGHT = _sheet(
    "farlight",
    "198.51.100.20/28",
    "10.98.0.1/20",
    [_tunnel("farlight", "quayhead", (FARLIGHT, QUAYHEAD), (LANS["farlight"], LANS["quayhead"]), "[20, 19]")],
)
_MARRAM = _sheet(
    "marram",
    "198.51.100.34/28",
    "10.66.0.1/21",
    [_tunnel("marram", "quayhead", (MARRAM, QUAYHEAD), ("10.66.0.0/22", LANS["quayhead"]), "[20, 19]", "never")],
)
