"""The demo case: the observatory's tunnels, played through by stand-in gateways in virtual time."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial

from stomion.standin.chance import Chance
from stomion.standin.configuration import Peer, Session, Suite
from stomion.standin.counter import Counter, rfc3339
from stomion.standin.dialects import LEDGERED, TALKATIVE, Dialect
from stomion.standin.gateway import Gateway
from stomion.standin.gateway_v1 import MainMode, PeerV1
from stomion.standin.network import Network, Parcel, Tap
from stomion.standin.petrel import Drill, timed
from stomion.standin.places import ADDRESSES, DOMAIN, LANS, PETREL_LTE
from stomion.standin.sheets import case_file, sheets
from stomion.standin.tables import gannet_files

SEED = "lanternreef"
START = datetime(2026, 5, 4, 9, 14, 0, tzinfo=UTC).timestamp()
QUAYHEAD, FARLIGHT, SALTERN, MARRAM = (ADDRESSES[n] for n in ("quayhead", "farlight", "saltern", "marram"))
DRIFTWOOD, BRACKISH, STRANGER = ADDRESSES["driftwood"], ADDRESSES["brackish-freight"], "203.0.113.222"

STRONG = Suite(((20, 256),), (6,), (), (20, 19))
FOURTEEN = Suite(((20, 256),), (6,), (), (14,))
ESP = Suite(((12, 256),), (), (12,), (20,), 3)
ESP_FOURTEEN = Suite(((12, 256),), (), (12,), (14,), 3)


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
    stations, more = _stations(net, quayhead, tests, seed)
    petrel, drill, drilled = _petrel(net, quayhead, farlight, seed)
    tests.append(_nobody_s_address())
    _noise(net, quayhead, seed)
    net.run()
    tests.sort(key=lambda t: str(t["at"]))
    files = _files((quayhead, farlight, marram, driftwood), taps, [*counters, *more, *drilled], tests)
    files["petrel/ike.log"] = _text(petrel)
    files["path/petrel-drill.jsonl"] = _records(drill.rows)
    files["path/whelk-ping.jsonl"] = _records(_whelk_ping(Chance(seed, "whelk", "ping")))
    for station in stations:
        files[f"{station.name}/ike.log"] = _text(station)
    return files


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
        net.at(at + n, _echo(net, source, target, out, back, chance))
    for counter in counters:
        net.at(at + 5.5, partial(counter.read, at + 5.5))
    tests.append(
        {
            "kind": "test",
            "at": rfc3339(at),
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
    net: Network, source: Gateway, target: Gateway, out: Counter, back: Counter, chance: Chance
) -> Callable[[], None]:
    def go() -> None:
        if out.session is None or back.session is None:
            return
        out.out += 1
        _esp(net, source, target, out.session.spi_out, out.out, chance)
        back.back += 1
        back.out += 1
        spi, number = back.session.spi_out, back.out
        net.after(0.0125, lambda: _esp(net, target, source, spi, number, chance))
        out.back += 1

    return go


def _esp(net: Network, source: Gateway, target: Gateway, spi: bytes, number: int, chance: Chance) -> None:
    """One packet under its SA's next sequence number (RFC 4303 3.3.3)."""
    net.send(Parcel(source.address, 4500, target.address, 4500, spi + number.to_bytes(4, "big") + chance.take(128)))


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
            net.at(START + 20 + 15 * index + n, _echo(net, freight, quayhead, other, counters[0], chance))
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


# station: its make, when Quayhead starts, and its tests: (from the station, service, answered of five, error, expected)
_Probe = tuple[bool, str, int, str, str]
_STATIONS: tuple[tuple[str, Dialect, float, tuple[_Probe, ...]], ...] = (
    ("eelgrass", LEDGERED, 41.0, (
        (True, "icmp", 0, "timeout", "reach"), (False, "icmp", 5, "", "reach"), (True, "tcp/80", 0, "timeout", "reach"),
    )),
    ("gannet", TALKATIVE, 53.0, (
        (False, "icmp", 0, "timeout", "reach"), (True, "icmp", 0, "unreachable", "reach"), (False, "tcp/80", 0, "timeout", "reach"),
    )),
    ("whelk", TALKATIVE, 65.0, (
        (False, "icmp", 0, "timeout", "reach"), (False, "tcp/80", 5, "", "reach"), (True, "icmp", 5, "", "reach"),
        (False, "tcp/443", 0, "timeout", "reach"), (False, "tcp/22", 0, "timeout", "blocked"),
    )),
)  # fmt: skip
_HOSTS = {"quayhead": "10.96.0.10", "eelgrass": "10.70.0.20", "gannet": "10.74.0.20", "whelk": "10.76.0.20"}


# (station, whose test, service) -> (packets into the tunnel, whether they are answered into it) of one test
_CARRIED: dict[tuple[str, bool, str], tuple[int, int]] = {
    ("eelgrass", False, "icmp"): (5, 5), ("gannet", False, "icmp"): (5, 0), ("gannet", False, "tcp/80"): (3, 0),
    ("whelk", False, "icmp"): (5, 0), ("whelk", False, "tcp/80"): (6, 5), ("whelk", True, "icmp"): (5, 5),
    ("whelk", False, "tcp/443"): (3, 0), ("whelk", False, "tcp/22"): (3, 0),
}  # fmt: skip
"""What a test moves in the SAs. Eelgrass translates what its own hosts send, so that it never enters the tunnel there."""
_PINGED_S, _EVERY_S, _SWITCHED_S = 24.0, 0.2, 13.1
"""Whelk's continuous ping: its length, its pace, and when a rule is switched on in it."""


def _stations(
    net: Network, quayhead: Gateway, tests: list[dict[str, object]], seed: str
) -> tuple[list[Gateway], list[Counter]]:
    """Three tunnels that come up and yet do not carry all that they should: tables are to blame, and tests and counters show it."""
    found: list[Gateway] = []
    counters: list[Counter] = []
    for name, dialect, begin, probes in _STATIONS:
        station = Gateway(name, ADDRESSES[name], f"{name}.{DOMAIN}", dialect, seed)
        net.attach(station.address, station.receive)
        net.path(QUAYHEAD, station.address, 0.017)
        a, b = LANS["quayhead"], LANS[name]
        at_q, at_s = _join(quayhead, station, (STRONG, STRONG), (a, b, b, a))
        pair = Counter("quayhead", at_q.tunnel, a, b), Counter(name, at_s.tunnel, b, a)
        at_q.on_child, at_s.on_child = pair[0].fresh, pair[1].fresh
        counters += pair
        net.at(START + begin, partial(quayhead.initiate, net, at_q))
        chance = Chance(seed, "probes", name)
        first = START + begin + (3 + _PINGED_S + 4 if name == "whelk" else 3)
        _read_both(net, first - 1.5, pair)
        if name == "whelk":
            _ping_on(net, pair)
        for number, probe in enumerate(probes):
            tests.append(_probe(name, first + 4 * number, probe, chance))
            net.at(
                first + 4 * number + 1,
                partial(_carry, pair, *_CARRIED.get((name, probe[0], probe[1]), (0, 0)), probe[0]),
            )
            _read_both(net, first + 4 * number + 2.5, pair)
        found.append(station)
    return found, counters


def _nobody_s_address() -> dict[str, object]:
    """Samphire's tunnel waits for traffic; somebody asked the network's own address, which no host has."""
    return {
        "kind": "test", "at": rfc3339(START + 201.0), "from": "quayhead/host-a", "to": "10.78.0.0", "service": "icmp", "sent": 4,
        "received": 0, "error": "timeout", "expected": "reach",
    }  # fmt: skip


def _read_both(net: Network, at: float, pair: tuple[Counter, Counter]) -> None:
    for counter in pair:
        net.at(at, partial(counter.read, at))


def _carry(pair: tuple[Counter, Counter], sent: int, answered: int, from_station: bool) -> None:
    """Packets through an SA and their answers, as both ends count them."""
    source, target = pair[::-1] if from_station else pair
    source.out, target.back = source.out + sent, target.back + sent
    target.out, source.back = target.out + answered, source.back + answered


def _ping_on(net: Network, pair: tuple[Counter, Counter]) -> None:
    """What the continuous ping moves in both ends' counters, read every two seconds: Whelk opens all of it and answers until the rule."""
    begin = START + 65.0 + 2.0
    _read_both(net, begin - 0.1, pair)
    for number in range(int(_PINGED_S / _EVERY_S)):
        after = _EVERY_S * number
        net.at(begin + after, partial(_carry, pair, 1, int(after < _SWITCHED_S), from_station=False))
    for number in range(1, int(_PINGED_S / 2) + 1):
        _read_both(net, begin + 2 * number - 0.1, pair)


def _whelk_ping(chance: Chance) -> list[dict[str, object]]:
    """A ping of the archive's host that runs on while a rule against ping is switched on at Whelk: answers stop at once."""
    begin = START + 65.0 + 2.0
    rows: list[dict[str, object]] = [
        {
            "kind": "event", "at": rfc3339(begin + _SWITCHED_S), "site": "whelk", "what": "rule-changed",
            "subject": "no ping from other sites", "detail": "switched on",
        }
    ]  # fmt: skip
    for number in range(int(_PINGED_S / _EVERY_S)):
        at = begin + _EVERY_S * number
        answered = at < begin + _SWITCHED_S
        rows.append({
            "kind": "ping", "at": rfc3339(at), "from": "quayhead/host-a", "to": _HOSTS["whelk"], "seq": number + 1,
            "rtt_ms": round(chance.between(34.1, 37.9), 1) if answered else None,
        })  # fmt: skip
    return rows


def _probe(station: str, at: float, probe: _Probe, chance: Chance) -> dict[str, object]:
    """A test record; what its outcome must be follows from the tables of both ends."""
    ours, service, received, error, expected = probe
    source, target = (station, "quayhead") if ours else ("quayhead", station)
    host = "host-b" if source == station else "host-a"
    sent = 5 if service == "icmp" else 1
    record: dict[str, object] = {
        "kind": "test", "at": rfc3339(at), "from": f"{source}/{host}", "to": _HOSTS[target], "service": service, "sent": sent,
        "received": min(received, sent),
    }  # fmt: skip
    if received:
        record["rtt_ms"] = [round(chance.between(34.1, 37.9), 1) for _ in range(min(received, sent))]
    return record | ({"error": error} if error else {}) | {"expected": expected}


_OTHER_BUSINESS = (
    "flow allow src=10.96.0.{0} dst=198.51.100.{1}:443 bytes={2} rule=web-out",
    "flow deny src=203.0.113.{1}:4{2} dst=192.0.2.10:22 rule=last",
    "dhcp lease 10.96.0.{0} renewed for 3600 s",
    "ntp offset 0.{2} ms against 198.51.100.1",
    "login ok user=helm from 10.96.0.{0}",
)


def _petrel(
    net: Network, quayhead: Gateway, farlight: Gateway, seed: str
) -> tuple[Gateway, Drill, tuple[Counter, ...]]:
    """A primary to Quayhead over the wire and a standby to Farlight over the air, and a drill in which the first is cut."""
    wired = Gateway("petrel", ADDRESSES["petrel"], f"petrel.{DOMAIN}", LEDGERED, seed)
    radio = Gateway("petrel", PETREL_LTE, f"petrel-lte.{DOMAIN}", LEDGERED, seed + "lte")
    radio.lines = wired.lines
    radio.count = 10
    lan, far = LANS["petrel"], LANS["quayhead"]
    pairs, peers = [], []
    for hub, own, delay in ((quayhead, wired, 0.021), (farlight, radio, 0.03)):
        net.attach(own.address, own.receive)
        net.path(hub.address, own.address, delay)
        at_hub, at_petrel = _join(hub, own, (STRONG, STRONG), (far, lan, lan, far))
        at_hub.tunnel = at_petrel.tunnel = f"{hub.name}-petrel"
        timed(at_petrel)
        pairs.append((Counter("petrel", at_petrel.tunnel, lan, far), Counter(hub.name, at_hub.tunnel, far, lan)))
        peers.append(at_petrel)
    drill = Drill(net, START, (wired, radio), (peers[0], peers[1]))
    drill.plan((pairs[0], pairs[1]), (quayhead, farlight))
    return wired, drill, (*pairs[0], *pairs[1])


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
        "case.toml": case_file().encode(),
        **{f"sites/{site}.toml": text.encode() for site, text in sheets().items()},
        **gannet_files(),
        "quayhead/ike.log": _text(quayhead),
        "quayhead/wan.pcapng": taps["quayhead"].pcapng(),
        **{
            f"{site}/counters.jsonl": _records(_read_at(site, counters))
            for site in ("quayhead", "farlight", "eelgrass", "gannet", "whelk", "petrel")
        },
        "farlight/ike.log": _text(farlight),
        "farlight/wan.pcap": taps["farlight"].pcap(),
        "marram/gateway.log": _text(marram),
        "driftwood/console.txt": _text(driftwood),
        "path/tests.jsonl": _records(tests),
    }


def _read_at(site: str, counters: list[Counter]) -> list[dict[str, object]]:
    """All readings of a site, tunnel by tunnel."""
    return [row for counter in counters if counter.site == site for row in counter.readings]


def _text(gateway: Gateway | MainMode) -> bytes:
    return ("\n".join(gateway.lines) + "\n").encode()


def _records(found: list[dict[str, object]]) -> bytes:
    return ("\n".join(json.dumps(r) for r in found) + "\n").encode()
