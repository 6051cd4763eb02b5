"""Words of the keys of a listing, and the shapes of its values."""

from __future__ import annotations

import re

IN = frozenset({
    "in", "inbound", "incoming", "rx", "recv", "received", "receives", "receive", "decrypt", "decrypted", "decapsulated", "opened",
    "from", "inward", "dec", "ingress", "rcvd", "unsealed", "down",
})  # fmt: skip
OUT = frozenset({
    "out", "outbound", "outgoing", "tx", "sent", "send", "sends", "encrypt", "encrypted", "encapsulated", "sealed", "transmitted",
    "outward", "xmit", "enc", "egress", "to", "up",
})  # fmt: skip
DIRECTIONS = frozenset({"in", "inbound", "incoming", "ingress", "out", "outbound", "outgoing", "egress", "rx", "tx"})
"""Words that alone say a direction."""
OWN = frozenset({"local", "own", "our", "left", "near", "src", "source"})
FAR = frozenset({
    "remote", "peer", "far", "right", "gateway", "partner", "their", "dst", "destination", "gw", "endpoint",
})  # fmt: skip
ENDS = frozenset({"source", "destination", "src", "dst"})
"""What a packet's ends are called: inbound ones come from the peer."""
LEFT = frozenset({"expires", "expiry", "remaining", "left", "remain", "hard", "expire", "ends", "dies"})
REKEY = frozenset({"rekey", "rekeys", "rekeying", "renew", "renews", "renewal"})
AGE = frozenset({"age", "uptime", "established", "running", "duration", "since", "online", "created", "installed"})
COUNTED = frozenset({"packets", "pkts", "packet", "bytes", "octets", "traffic", "pkt", "byte", "volume", "oct"})
PACKETS = frozenset({"packets", "pkts", "packet", "pkt"})
OCTETS = frozenset({"bytes", "octets", "byte", "oct"})
STATE = frozenset({"state", "status", "condition"})
INTEGRITY = frozenset({"integrity", "integ", "hash", "mac", "auth", "authentication", "hmac"})
GROUP = frozenset({"pfs", "dh", "group", "modp"})
CIPHER = frozenset({
    "enc", "encryption", "cipher", "crypto", "algorithm", "algorithms", "transform", "proposal", "esp", "suite", "encr", "alg", "algs",
})  # fmt: skip
CARRIED = frozenset({"nat", "natt", "encap", "carried", "encapsulation", "udp", "traversal", "transport"})
NETWORKS = frozenset({"network", "networks", "net", "subnet", "selectors"})
NAMES = frozenset({"tunnel", "name", "connection", "conn", "vpn", "peer", "site", "id"})
WAYS = frozenset({"dir", "direction", "way"})
SPI = re.compile(r"(?<!\w)(?:0x)?([0-9a-fA-F]{8})(?!\w)")
"""One that stands among words."""
SPI_VALUE = re.compile(r"(?<!\w)(?:0x)?([0-9a-fA-F]{6,8})\b")
"""One under a key that says so: leading zeros may be left out."""
DECIMAL_SPI = re.compile(r"\d{9,10}")
"""An SPI as a number: it has more digits than as a hexadecimal one."""
ADDRESS = re.compile(
    r"(?<![\w.:/])(?:\d{1,3}(?:\.\d{1,3}){3}|[0-9a-fA-F]*:[0-9a-fA-F:]+:[0-9a-fA-F]+)(?![\w:]|\.\d|/\d)"
)
DATE = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d:\d\d(?:\.\d+)?(?:Z|[+-]\d\d:?\d\d)?")
COUNT = re.compile(
    r"(?<!\w)(\d[\d,' ]{0,24})\s{0,8}(packets?|pkts?|bytes?|octets?|k?b\b|[kmg]ib\b|[kmg]b\b)", re.IGNORECASE
)
_PART = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")


def words_of(key: str) -> list[str]:
    """`bytesIn` -> bytes, in."""
    return [part.lower() for part in _PART.findall(key)]


def direction_of(words: list[str]) -> str:
    """`in` or `out`, by the last word that tells one; empty where none does."""
    return next(("in" if word in IN else "out" for word in reversed(words) if word in IN or word in OUT), "")
