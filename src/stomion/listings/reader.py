"""SA pairs out of the records of a listing: what each value is, by the words of its key and by its own shape."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass, replace

from stomion.listings.found import Found
from stomion.listings.halves import paired
from stomion.listings.raw import Raw
from stomion.listings.records import readings_of
from stomion.listings.states import state_of
from stomion.model.provenance import Provenance
from stomion.model.sa import Sa
from stomion.space.axis import is_address
from stomion.vocabulary.algorithms import encryption_of, find_proposal, group_of
from stomion.vocabulary.durations import seconds_of
from stomion.vocabulary.times import rfc3339_seconds

_IN = frozenset(
    {
        "in",
        "inbound",
        "incoming",
        "rx",
        "recv",
        "received",
        "receives",
        "receive",
        "decrypt",
        "decrypted",
        "decapsulated",
        "opened",
        "from",
        "inward",
        "dec",
        "ingress",
        "rcvd",
        "unsealed",
        "down",
    }
)
_OUT = frozenset(
    {
        "out",
        "outbound",
        "outgoing",
        "tx",
        "sent",
        "send",
        "sends",
        "encrypt",
        "encrypted",
        "encapsulated",
        "sealed",
        "transmitted",
        "outward",
        "xmit",
        "enc",
        "egress",
        "to",
        "up",
    }
)
_SIDES = (
    frozenset({"local", "own", "our", "left", "near", "src", "source"}),
    frozenset(
        {"remote", "peer", "far", "right", "gateway", "partner", "their", "dst", "destination", "gw", "endpoint"}
    ),
)
_ENDS = frozenset({"source", "destination", "src", "dst"})
"""What a packet's ends are called: inbound ones come from the peer."""
_HEX = re.compile(r"(?:0x)?([0-9a-fA-F]{6,8})\b")
_DECIMAL = re.compile(r"\d{9,10}")
"""An SPI as a number: it has more digits than as a hexadecimal one."""
_ADDRESS = re.compile(
    r"(?<![\w.:/])(?:\d{1,3}(?:\.\d{1,3}){3}|[0-9a-fA-F]*:[0-9a-fA-F:]+:[0-9a-fA-F]+)(?![\w:]|\.\d|/\d)"
)
_COUNT = re.compile(
    r"(?<!\w)(\d[\d,' ]{0,24})\s{0,8}(packets?|pkts?|bytes?|octets?|k?b\b|[kmg]ib\b|[kmg]b\b)", re.IGNORECASE
)
_SCALE = {"kb": 1_000, "kib": 1_024, "mb": 1_000_000, "mib": 1 << 20, "gb": 10**9, "gib": 1 << 30}
_SPI = re.compile(r"(?<!\w)(?:0x)?([0-9a-fA-F]{8})(?!\w)")
_MAY_BE_NONE = re.compile(r"integrity|encap", re.IGNORECASE)
"""Keys for which `none` tells something."""
_DATE = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:?\d\d)?")
MOST_STATE = 40
"""Characters of a state in words."""
TOLD = 5
"""Things that are told of every SA, on the average, from which on no other shape is tried."""
LEAST = 2
"""Things about an SA that a record must tell to be one."""


@dataclass(frozen=True, slots=True)
class Listed:
    """One record: the SA pair, and what tells which tunnel it is of. SPIs are empty where no SA stands."""

    sa: Sa
    peers: tuple[str, ...]
    name: str
    names: tuple[str, ...] = ()


def listed_of(text: str, file: str, site: str) -> list[Listed]:
    """Every SA, or tunnel without one, that a listing tells of: in the shape that makes whole SAs of most of it, and tells most of them."""
    best: list[Found] = []
    most = (-1, 0)
    for raws in readings_of(text):
        found = _found_in(raws, file, site)
        good, told = sum(map(_is_whole, found)), sum(len(one.values) for one in found)
        if found and (good, told) > most:
            best, most = found, (good, told)
        if good == len(found) and _is_full(found):
            break
    at = _moment(text)
    return [_listed(found, at) for found in best]


def _is_full(found: list[Found]) -> bool:
    """Are there SAs, of which so much is told that no other shape would tell more?"""
    whole = [len(one.values) for one in found if one.values.keys() >= _WHOLE]
    return bool(whole) and sum(whole) >= TOLD * len(whole)


_WHOLE = frozenset(("spi_in", "spi_out"))


def _is_whole(found: Found) -> bool:
    """Does a record tell whose it is, and both its SPIs or a state that is known?"""
    named = bool(found.peers or found.loose or found.name)
    return named and (found.values.keys() >= _WHOLE or state_of(str(found.values.get("state", ""))) is not None)


def _found_in(raws: list[Raw], file: str, site: str) -> list[Found]:
    every = []
    for raw in raws:
        found = _read(raw)
        found.where = Provenance(file, site, line=raw.line or None, record=raw.entry)
        known = set(found.values) & _TELLING
        if found.values.keys() & {"state", "spi_in", "spi_out"} and (
            len(known) + bool(found.peers or found.loose or found.name) >= LEAST
        ):
            every.append(found)
    return paired(every)


_TELLING = frozenset(("state", "spi_in", "spi_out", "packets_in", "packets_out", "age_s", "expires_in_s"))


def _moment(text: str) -> float | None:
    """The first moment with a date that stands in a listing."""
    found = _DATE.search(text)
    return _seconds(found[0]) if found else None


def _seconds(text: str) -> float | None:
    text = text.replace(" ", "T", 1)
    return rfc3339_seconds(text if text[-1:] == "Z" or "+" in text else f"{text}Z")


def _bag(key: str) -> list[str]:
    return [part.lower() for part in re.findall(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+", key)]


def _read(raw: Raw) -> Found:
    found = Found()
    found.loose += _ADDRESS.findall(raw.head)
    found.name = _named(raw.head)
    found.way = next((way for key, value in raw.pairs if (way := _way(_bag(key), value))), "")
    for key, value in raw.pairs:
        if value.strip() in ("-", "–", "--", "n/a", "none", "N/A", "") and not _MAY_BE_NONE.search(key):
            continue
        first, *others = _BESIDE.split(value.strip())
        _take(found, _bag(key), _BEHIND_A_COMMA.sub("", first))
        for other in others:
            name, _, said = other.partition(":")
            _take(found, _bag(name), said.strip())
        for m in _BEHIND_A_COMMA.finditer(first):
            _take(found, _bag(m[1]), m[2].strip())
    if len(found.spis) > 1:
        found.put("spi_in", found.spis[0])
        found.put("spi_out", found.spis[1])
    return found


_LEFT = frozenset({"expires", "expiry", "remaining", "left", "remain", "hard", "expire", "ends", "dies"})
_STILL = re.compile(r"remain|left", re.IGNORECASE)
_BESIDE = re.compile(r"\s{2,}(?=[A-Za-z][\w-]{0,20}:\s)")
"""Before one more key on the same line."""
_BEHIND_A_COMMA = re.compile(r", ?(expires|rekey|renewed|age|up|pfs|dh|lifetime|left)\b([^,]*)", re.IGNORECASE)


def _way(words: list[str], value: str) -> str:
    """The direction that a record says it is of: `Dir  in`."""
    low = value.strip().lower()
    if set(words) & {"dir", "direction", "way"}:
        return (
            "in" if low in _IN or low in ("<-", "<=", "←") else "out" if low in _OUT or low in ("->", "=>", "→") else ""
        )
    return ""


def _named(head: str) -> str:
    """What a paragraph's first line calls the tunnel or its far end: the word after `to`, `with` or `tunnel`, if it is no number."""
    for m in re.finditer(
        r"(?:\bto|\bwith|\btunnel|\bpeer|\bconnection|\bvpn)\s+[\"']?([A-Za-z][\w.-]*)", head, re.IGNORECASE
    ):
        if m[1].lower() not in ("to", "with", "tunnel", "peer", "state", "status", "is", "of", "the"):
            return m[1]
    words = head.split()
    return words[0] if len(words) == 1 and re.fullmatch(r"[A-Za-z][\w.-]*", words[0]) else ""


def _direction(bag: Iterable[str]) -> str:
    """The last word that tells one."""
    for word in reversed(list(bag)):
        if word in _IN:
            return "in"
        if word in _OUT:
            return "out"
    return ""


def _hexadecimal(spi: str) -> str:
    """An SPI that is written as a number, as the others are."""
    return f"0x{int(spi):08x}" if _DECIMAL.fullmatch(spi) and int(spi) < 1 << 32 else spi


def _take(found: Found, words: list[str], value: str) -> None:
    bag = set(words)
    way = _direction(words) or found.way
    if bag & {"spi", "spis"}:
        spis = [m.lower().zfill(8) for m in _HEX.findall(_hexadecimal(value))]
        if way and len(spis) == 1:
            found.put(f"spi_{way}", spis[0])
        elif spis:
            _spis(found, value, spis)
    elif bag & {"state", "status", "condition"} or words == ["phase"]:
        found.put("state", value)
    elif bag & {"packets", "pkts", "packet", "bytes", "octets", "traffic", "pkt", "byte", "volume", "oct"} or (
        way and _COUNT.search(value)
    ):
        _counts(found, bag, way, value)
    elif bag & {"rekey", "rekeys", "rekeying", "renew", "renews", "renewal"} and not bag & {"expires", "expiry"}:
        found.put("rekey_in_s", _length(value))
    elif bag & (_LEFT if not bag & {"lifetime", "life"} or not _STILL.search(value) else bag):
        found.put("expires_in_s", _length(value))
    elif (
        bag & {"age", "uptime", "established", "running", "duration", "since", "online", "created", "installed"}
        or words == ["up"]
        or ("up" in bag and bag & {"for", "time", "since"})
    ):
        moment = _DATE.search(value)
        found.put("up_since" if moment else "age_s", _seconds(moment[0]) if moment else _length(value))
    elif bag & {"time", "at", "timestamp", "date"} and _DATE.search(value):
        found.put("at", _seconds(_DATE.search(value)[0]))  # type: ignore[index]
    elif bag & {"nat", "natt", "encap", "carried", "encapsulation", "udp", "traversal", "transport"}:
        found.put("encapsulation", _encapsulation(value))
    elif bag & {"integrity", "integ", "hash", "mac", "auth", "authentication", "hmac"} and not bag & {"method"}:
        said = find_proposal(value, "ESP")
        found.put("integrity", next(iter(said.values("integrity")), "") if said else "")
    elif bag & {"pfs", "dh", "group", "modp"} and not encryption_of(value):
        found.put("group", value if value.isdecimal() else next(iter(group_of(value)), ""))
    elif bag & {
        "enc",
        "encryption",
        "cipher",
        "crypto",
        "algorithm",
        "algorithms",
        "transform",
        "proposal",
        "esp",
        "suite",
        "encr",
        "alg",
        "algs",
    } and find_proposal(value.replace("/", " "), "ESP"):
        _algorithms(found, value)
    elif (
        _ADDRESS.search(value) and "/" not in value and not bag & {"network", "networks", "net", "subnet", "selectors"}
    ):
        _addresses(found, bag, value)
    elif (
        bag & {"tunnel", "name", "connection", "conn", "vpn", "peer", "site", "id"}
        and not found.name
        and re.search(r"[A-Za-z]{2}", value)
        and not _ADDRESS.search(value)
    ):
        found.name = value.split()[0].strip("\"',;")
    elif (
        bag & {"ike", "child", "sa", "esp", "ipsec", "phase"}
        and len(value) < MOST_STATE
        and re.match(r"[A-Za-z]", value)
        and state_of(value)
    ):
        if bag & {"child", "esp", "ipsec"}:
            found.values.pop("state", None)
        found.put("state", value)
    elif _by_value(found, value):
        return
    elif not words and state_of(value) and "state" not in found.values and len(value) < MOST_STATE:
        found.put("state", value)


_WAY = re.compile(r"\b(?:in|out)(?:bound)?\b|0x", re.IGNORECASE)


def _by_value(found: Found, value: str) -> bool:
    """Take two SPIs or an algorithm under a key that nobody knows."""
    spis = _SPI.findall(value)
    if len(spis) == len(("in", "out")) and not re.search(r"[g-z]", _WAY.sub("", value), re.IGNORECASE):
        _spis(found, value, [m.lower() for m in spis])
        return True
    said = find_proposal(value.replace("/", " "), "ESP")
    if said is None or not said.values("encryption") or seconds_of(value) is not None:
        return False
    _algorithms(found, value)
    return True


_BEHIND = re.compile(r"\s*\((in|out|inbound|outbound|incoming|outgoing)\)")


def _spis(found: Found, value: str, spis: list[str]) -> None:
    """Two SPIs in one cell: by the words before each, else in and out as they come."""
    low = value.lower()
    for spi in spis:
        begin = low.find(spi.lstrip("0"))
        behind = _BEHIND.match(low, begin + len(spi.lstrip("0")))
        way = _direction([behind[1]] if behind else re.findall(r"[a-z]+", low[max(begin - 16, 0) : begin]))
        if way:
            found.put(f"spi_{way}", spi)
        else:
            found.spis.append(spi)


def _counts(found: Found, bag: set[str], way: str, value: str) -> None:
    kind = (
        "packets"
        if bag & {"packets", "pkts", "packet", "pkt"}
        else "bytes"
        if bag & {"bytes", "octets", "byte", "oct"}
        else ""
    )
    units = _COUNT.findall(value)
    if units and way:
        for number, unit in units:
            low = unit.lower()
            what = "packets" if low.startswith(("packet", "pkt")) else "bytes"
            found.put(f"{what}_{way}", round(_number(number) * _SCALE.get(low, 1)))
        return
    numbers = re.findall(r"\d[\d,']*", value)
    if kind and way and len(numbers) == 1:
        found.put(f"{kind}_{way}", _number(numbers[0]))
    elif kind and len(numbers) == len(("in", "out")):
        order = (
            ("in", "out")
            if not re.search(r"\bout\b.*\bin\b|\btx\b.*\brx\b|\bsent\b.*\breceived", value, re.IGNORECASE)
            else ("out", "in")
        )
        for direction, number in zip(order, numbers, strict=True):
            found.put(f"{kind}_{direction}", _number(number))


def _number(text: str) -> int:
    return int(re.sub(r"\D", "", text)[:18] or 0)


def _length(value: str) -> int | None:
    body = re.sub(r"\b(?:ago|left|remaining|in|about|for|total)\b|[()~]", " ", value, flags=re.IGNORECASE).strip()
    return seconds_of(body)


def _encapsulation(value: str) -> str:
    low = value.lower()
    if re.search(r"\b(?:no|not|none|off|plain|esp|disabled|native|false)\b", low) and not re.search(r"udp|4500", low):
        return "none"
    return "udp" if re.search(r"udp|4500|\byes\b|\bon\b|detected|active|true|enabled|nat-?t", low) else ""


def _algorithms(found: Found, value: str) -> None:
    said = find_proposal(value.replace("/", " "), "ESP")
    assert said is not None
    found.put("encryption", next(iter(said.values("encryption")), ""))
    found.put("integrity", next(iter(said.values("integrity")), ""))
    found.put("group", next(iter(said.values("group")), ""))


def _addresses(found: Found, bag: set[str], value: str) -> None:
    addresses = [a for a in _ADDRESS.findall(value) if is_address(a)]
    if found.way == "in" and bag & _ENDS:
        bag = {"remote"} if bag & {"source", "src"} else {"local"}
    if bag & _SIDES[0]:
        found.own += addresses
    elif bag & _SIDES[1] and len(addresses) == 1:
        found.peers += addresses
    else:
        found.loose += addresses


def _listed(found: Found, at: float | None) -> Listed:
    v, where = found.values, found.where
    words = str(v.get("state", ""))
    moment = v.get("at", at)
    born = v.get("up_since")
    age = v.get("age_s")
    if born is None and isinstance(moment, float) and isinstance(age, int):
        born = moment - age
    sa = Sa(
        where.site or "",
        at=moment if isinstance(moment, float) else None,
        words=words,
        state=state_of(words) if words else None,
        where=where,
    )
    plain = {
        k: v[k]
        for k in (
            "spi_in",
            "spi_out",
            "encryption",
            "integrity",
            "group",
            "encapsulation",
            "age_s",
            "rekey_in_s",
            "expires_in_s",
            "packets_in",
            "packets_out",
            "bytes_in",
            "bytes_out",
        )
        if k in v
    }
    sa = replace(sa, up_since=born if isinstance(born, float) else None, **plain)  # type: ignore[arg-type]
    peers = [a for a in (found.peers or found.loose) if a not in found.own]
    return Listed(sa, tuple(dict.fromkeys(peers)), found.name)
