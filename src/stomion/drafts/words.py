"""The trade's words and their abbreviations, as configurations use them: one set for each meaning. Compared in lower case, split where a
capital, a digit or a sign begins a new word."""

from __future__ import annotations

import ipaddress
import re
from functools import lru_cache

from stomion.space.axis import is_address

_PART = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")


@lru_cache(8_192)
def parts_of(word: str) -> tuple[str, ...]:
    """`RemoteIP` -> remote, ip; `P1.Proposal.2` -> p, 1, proposal, 2; `pre-shared` -> pre, shared; `laddr` -> local, addr."""
    return tuple(part for found in _PART.findall(word) for part in _halves(found.lower()))


_FIRST = {
    **{word: word for word in (
        "local", "remote", "peer", "my", "own", "far", "near", "src", "dst", "source", "dest", "destination", "in", "out", "ike", "esp",
        "ipsec", "dh", "pfs", "loc", "rem", "lcl", "rmt", "next", "auth", "start", "nat", "key", "tunnel", "vpn", "host",
    )},
    "l": "local", "r": "remote",
}  # fmt: skip
_SECOND = frozenset({
    "addr", "address", "ip", "id", "ident", "identity", "net", "nets", "network", "networks", "subnet", "subnets", "ts", "lan", "gw",
    "gateway", "endpoint", "site", "ver", "version", "mode", "group", "grp", "life", "if", "intf", "iface", "interface", "port",
    "zone", "hop", "name", "method", "policy", "proposal", "proposals", "profile", "cert", "hash", "alg", "exchange",
})  # fmt: skip


def _halves(part: str) -> tuple[str, ...]:
    """Two words that are written as one."""
    for length in range(1, len(part) - 1):
        if part[:length] in _FIRST and part[length:] in _SECOND:
            return (_FIRST[part[:length]], part[length:])
    return (part,)


@lru_cache(8_192)
def bag(words: tuple[str, ...]) -> frozenset[str]:
    """Every word and every part of the words of a statement that are no values."""
    found: set[str] = set()
    for word in words:
        if not is_value(word):
            found.add(word.lower())
            found.update(parts_of(word))
    return frozenset(found)


KINDS: tuple[tuple[str, frozenset[str]], ...] = (
    ("translation", frozenset({"nat", "translation", "translate", "translations", "snat", "dnat", "address-translation", "xlate"})),
    ("network-group", frozenset({"network-group", "address-group", "networkgroup", "addressgroup", "addrgrp", "netgroup"})),
    ("service", frozenset({"service", "services", "service-object", "application"})),
    ("proposal", frozenset({"suite", "proposal", "transform", "crypto-profile", "cipher-suite", "ciphersuite"})),
    ("tunnel", frozenset({"tunnel", "vpn", "connection", "conn", "ipsec", "s2s", "site-to-site", "sitetosite", "tun"})),
    ("interface", frozenset({"interface", "port", "iface", "nic", "ethernet", "adapter", "intf", "if", "link"})),
    ("route", frozenset({"route", "routes", "routing", "static-route", "static-routes", "gateway-route", "rte"})),
    ("filter", frozenset({"filter", "filters", "rule", "rules", "firewall", "acl", "access-list", "access-rule",
        "security-policy", "policy", "flt", "fw"})),
    ("network", frozenset({"network", "address", "net", "object", "host", "subnet", "alias", "networks", "addresses", "objects", "range"})),
    ("system", frozenset({"system", "sys", "equipment", "device", "gateway", "hostname", "box", "unit", "appliance",
        "node", "general", "global",
        "name", "router", "gw"})),
)  # fmt: skip
"""What a statement is about, by its first word; the first kind that fits is taken."""

OFFERS = frozenset({
    "proposal", "proposals", "offer", "offers", "profile", "policy", "transform", "suite", "suites", "set", "parameters", "params",
    "algorithms",
    "settings",
})  # fmt: skip
"""Beside a word for a phase: what that phase offers."""
TRANSLATION = frozenset(
    {
        "nat",
        "snat",
        "dnat",
        "translation",
        "translations",
        "translate",
        "xlate",
        "mapping",
        "mappings",
    }
)

OWN = frozenset({
    "own", "local", "our", "ours", "us", "we", "left", "near", "this", "here", "self", "my", "inner", "lcl", "loc", "home", "mine",
    "ourselves", "nearside", "nearend",
})  # fmt: skip
FAR = frozenset({
    "far", "remote", "peer", "right", "their", "theirs", "them", "they", "other", "there", "opposite", "partner", "away",
    "counterpart", "rmt", "rem", "distant", "beyond", "otherside", "farside", "farend", "neighbour", "neighbor", "companion", "mate",
    "correspondent",
})  # fmt: skip
NAME = frozenset(
    {
        "name",
        "named",
        "called",
        "label",
        "title",
        "hostname",
        "host-name",
        "known",
        "titled",
        "designation",
        "nm",
    }
)
ZONE = frozenset({
    "zone", "side", "area", "trust", "segment", "zones", "realm",
    "domain",
    "zn",
})  # fmt: skip
IDENTITY = frozenset({
    "identity", "id", "identities", "identifier", "ident", "ids", "fqdn", "identification", "identify",
    "say", "says", "presents",
})  # fmt: skip
NETWORKS = frozenset({
    "networks", "network", "net", "nets", "subnet", "subnets", "traffic", "selector", "selectors", "carries", "carry", "carried",
    "protects", "protect", "protected", "lan", "lans", "domain", "ts", "range", "ranges", "prefix", "prefixes", "encrypts", "reach",
    "behind", "covers", "cover", "covered", "secures", "secured", "shields", "guards", "cidr", "cidrs", "flow", "flows", "interesting",
    "proxy", "proxyid", "served", "serves", "reaches", "reachable",
})  # fmt: skip
ENDPOINT = frozenset({
    "end", "endpoint", "adr", "endpoints", "ends", "ip", "address", "addr", "gateway", "gw", "between", "runs", "peer", "host", "outer",
    "connects", "joins", "links", "spans",
    "public", "source", "destination", "wan", "external", "ipaddr", "ipaddress", "terminates",
})  # fmt: skip
SITE = frozenset({"site", "office", "place", "location"})
STARTS = frozenset({
    "start", "starts", "started", "opens", "open", "initiate", "initiates", "initiation", "initiator", "startup", "init", "auto",
    "autostart", "establish", "begin", "begins", "connect", "dials", "dial", "activate", "activates", "activation", "trigger",
    "launch", "launches", "bringup",
    "negotiate",
    "who",
})  # fmt: skip
ALWAYS = frozenset({
    "always", "permanently", "immediately", "immediate", "onstart", "yes", "up", "boot", "permanent", "start", "true", "enabled",
    "both", "active", "persistent", "constantly", "continuous", "continuously", "eager", "eagerly",
    "once", "instantly",
    "auto", "automatic",
    "automatically",
    "on",
})  # fmt: skip
ON_TRAFFIC = frozenset({
    "traffic", "demand", "ondemand", "packet", "packets", "need", "needed", "route", "trap", "first", "lazy", "lazily", "data",
    "request", "interesting",
})  # fmt: skip
NEVER = frozenset({
    "never", "passive", "wait", "waits", "responder", "respond", "listen", "no", "answer", "answers", "false", "off", "only",
    "responds", "listens", "accepts",
})  # fmt: skip
PSK = frozenset({
    "psk", "preshared", "shared", "secret", "pre-shared", "presharedkey", "sharedkey", "passphrase", "sharedsecret", "presharedsecret",
    "common",
})  # fmt: skip
CERTIFICATE = frozenset({
    "certificate", "cert", "certificates", "pubkey", "rsasig", "x509", "pem", "signature", "rsa", "ecdsa", "pki", "signatures", "crt",
    "certs",
})  # fmt: skip
DPD = frozenset({
    "watch", "dpd", "checks", "check", "dead", "probe", "keepalive", "liveness", "alive", "heartbeat", "deadpeer", "probes", "hello",
    "probed", "checked", "monitored", "watched",
    "hellos", "keepalives", "heartbeats", "pulse", "monitor", "monitoring", "aliveness",
    "supervision", "supervised", "supervises",
})  # fmt: skip
INTERVAL = frozenset({
    "interval", "every", "period", "delay", "each", "frequency", "idle", "gap", "spacing", "cadence", "timer", "freq", "repeat",
    "intvl", "ivl", "int",
})  # fmt: skip
RETRIES = frozenset({
    "retries", "retry", "tries", "attempts", "after", "times", "lost", "fails", "failures", "max", "count", "missed", "threshold",
    "tolerance", "limit", "giveup", "miss", "misses", "failure", "failed", "unanswered", "strikes", "retr", "retrys",
    "rtr",
})  # fmt: skip
BOUND = frozenset({"bound", "over", "bind", "binds", "device", "vti", "attach", "attached", "uses", "bound-to"})
ENCRYPTION = frozenset({
    "encryption", "cipher", "ciphers", "enc", "encr", "encrypt", "crypt", "crypto", "confidentiality", "ealg", "encryptions",
})  # fmt: skip
INTEGRITY = frozenset({
    "integrity", "hashes", "mac", "hash", "auth", "authentication", "integ", "digest", "hmac", "aalg", "ialg", "hashing",
    "authenticator",
    "int", "checksum",
})  # fmt: skip
PRF = frozenset({
    "prf", "pseudorandom", "pseudo",
    "derivation",
})  # fmt: skip
GROUP = frozenset({
    "group", "groups", "grp", "dh", "pfs", "modp", "curve", "kex", "ke", "keyexchange", "dhgroup", "dh-group", "diffie", "hellman",
    "secrecy", "oakley",
    "dhg", "dhgrp",
})  # fmt: skip
LIFE = frozenset({
    "lifetime", "life", "rekey", "lifetimes", "expires", "expiry", "renew", "valid", "ttl", "duration", "renewal", "renews",
    "lifespan", "keylife", "validity", "rekeys", "lasts", "lives",
    "lt", "ltime",
})  # fmt: skip
VOLUME = frozenset({"kb", "kilobytes", "bytes", "mb", "volume", "data", "kbytes", "packets", "gb"})
NONE = frozenset({"none", "off", "no", "disabled", "never", "without", "-"})
EVERYTHING = frozenset({
    "any", "everything", "all", "*", "anywhere", "anything", "0.0.0.0/0", "::/0", "dynamic", "%any", "0.0.0.0",
})  # fmt: skip
PHASE_1 = frozenset(
    {
        "ike",
        "isakmp",
        "p1",
        "phase1",
        "phase-1",
        "ikesa",
        "ike-sa",
        "parent",
        "ph1",
        "stage1",
        "handshake",
    }
)
PHASE_2 = frozenset({
    "esp", "ipsec", "p2", "phase2", "phase-2", "child", "quick", "childsa", "child-sa", "ph2", "stage2",
})  # fmt: skip
DENIED = frozenset({"no", "off", "false", "never", "disabled", "disable", "0"})
DEFAULT = frozenset({"default", "default-route"})
SECRET = frozenset({
    "password", "passwd", "secret", "psk", "key", "community", "passphrase", "token", "pre-shared", "preshared", "pwd", "pass",
})  # fmt: skip

SIDES = frozenset({"source", "destination"})
SOURCE = frozenset({
    "source", "src", "from", "sender", "srcaddr", "source-address", "saddr", "srcip", "srcnet", "origin", "sources",
})  # fmt: skip
DESTINATION = frozenset({
    "destination", "dst", "dest", "to", "towards", "target", "dstaddr", "destination-address", "daddr", "dstip", "dstnet",
    "destinations",
    "receiver",
    "targets",
})  # fmt: skip
SERVICE = frozenset({
    "service", "services", "for", "app", "application", "protocol", "proto", "svc", "svcs", "applications", "apps", "protocols",
})  # fmt: skip
PORTS = frozenset({
    "port", "ports", "eq", "dport", "dports", "destination-port", "dst-port", "dstport", "destinationport",
})  # fmt: skip
ENTERS = frozenset({
    "in", "entering", "enters", "inif", "iif", "ingress", "incoming", "inbound", "input", "arriving", "arrives", "ingoing",
    "coming", "comes",
    "receiving",
})  # fmt: skip
LEAVES = frozenset({
    "out", "leaving", "leaves", "outif", "oif", "egress", "outgoing", "outbound", "output", "exiting", "departs", "departing", "exits",
    "going", "goes",
    "sending", "exit",
})  # fmt: skip
VIA = frozenset({
    "via", "way", "through", "nexthop", "next-hop", "hop", "gateway", "gw", "next", "router", "nh", "nhop",
    "nxt",
})  # fmt: skip
ON = frozenset({"on", "by", "dev", "interface", "device", "nic", "adapter", "link", "port", "if", "intf", "iface"})
ALLOW = frozenset({
    "allow", "permit", "accept", "pass", "allowed", "permitted", "allows", "permits", "accepts", "passes", "accepted", "passed",
    "lets", "grant", "forward",
    "let",
    "acc",
})  # fmt: skip
DROP = frozenset({
    "drop", "deny", "discard", "block", "dropped", "denied", "drops", "blocked", "denies", "blocks", "discards", "discarded",
    "drp",
})  # fmt: skip
REJECT = frozenset({
    "reject", "refuse", "rejected", "refused", "rejects", "refuses",
    "rej",
})  # fmt: skip
HOLE = frozenset({
    "blackhole", "discarded", "dropped", "discard", "null", "null0", "drop", "reject", "hole", "unreachable", "prohibit",
})  # fmt: skip
HIDE = frozenset({
    "masquerade", "masqueraded", "hidden", "hide", "overload", "pat", "masq", "hides", "masquerades", "masquerading", "napt",
})  # fmt: skip
EXEMPT = frozenset({
    "exempt", "exclude", "excluded", "exemption", "none", "no-nat", "nonat", "bypass", "itself", "untranslated", "untouched",
    "unchanged", "except", "skip", "nothing", "keeps", "keep", "preserve", "preserved", "passthrough", "original", "unmodified",
    "exempted", "excepted", "skipped", "bypassed", "bypasses",
    "leave", "left", "alone",
    "return",
})  # fmt: skip

_MASK = re.compile(r"(?:255|254|252|248|240|224|192|128|0)(?:\.(?:255|254|252|248|240|224|192|128|0)){3}")
_WILDCARD = re.compile(r"(?:0\.){0,3}(?:255|127|63|31|15|7|3|1|0)(?:\.255){0,3}")
NOWHERE = ".".join("0000")
"""All zeros: an address and a mask of everything."""
NETMASK = frozenset({"netmask", "mask", "prefixlen", "masklen"})
_TURNED_SERVICE = re.compile(r"(\d{1,5}(?:-\d{1,5})?)/(tcp|udp|sctp)", re.IGNORECASE)
_SERVICE = re.compile(r"(tcp|udp|sctp)(?:[/:](\d{1,5}(?:-\d{1,5})?))?|icmp|icmpv6|esp|ah|gre", re.IGNORECASE)


@lru_cache(16_384)
def network_of(word: str) -> str:
    """A prefix, an address with a mask, a range or an address, as the sheet writes it; empty for what is none."""
    text = word.strip()
    if "-" in text and text[:1].isalnum():
        low, _, high = text.partition("-")
        return f"{low}-{high}" if is_address(low) and is_address(high) else ""
    try:
        found = ipaddress.ip_network(text, strict=False)
    except ValueError:
        return ""
    return str(found.network_address) if found.num_addresses == 1 and "/" not in text else str(found)


@lru_cache(16_384)
def interface_address(word: str, mask: str = "") -> str:
    """An interface's address with its prefix length; empty without one, or where it is the network's own."""
    try:
        found = ipaddress.ip_interface(f"{word}/{mask}" if mask else word)
    except ValueError:
        return ""
    network = found.network
    nobody = found.ip == network.network_address and network.num_addresses > len(("one", "other"))
    return str(found) if ("/" in word or mask) and not nobody else ""


def without_mask_words(words: tuple[str, ...]) -> tuple[str, ...]:
    """`10.1.0.0 mask 255.255.0.0` without the word between."""
    return tuple(
        word
        for n, word in enumerate(words)
        if not (
            0 < n < len(words) - 1 and word.lower() in NETMASK and is_address(words[n - 1]) and is_mask(words[n + 1])
        )
    )


def is_mask(word: str) -> bool:
    """Is it an IPv4 netmask?"""
    return _MASK.fullmatch(word) is not None and word != "0.0.0.0"


@lru_cache(16_384)
def masked(address: str, mask: str) -> str:
    """The network of an address and the netmask or the wildcard mask behind it; empty where it is none."""
    if not is_address(address) or ":" in address:
        return ""
    if address == mask == NOWHERE:
        return f"{NOWHERE}/0"
    if is_mask(mask):
        return network_of(f"{address}/{mask}")
    wild = _WILDCARD.fullmatch(mask) and is_address(mask)
    bits = int(ipaddress.IPv4Address(mask)) + 1 if wild else 0
    return network_of(f"{address}/{33 - bits.bit_length()}") if bits and not bits & (bits - 1) else ""


def service_of(word: str) -> str:
    """`tcp:443`, `tcp/137-139`, `icmp` as the sheet writes it; empty for what is none."""
    turned = _TURNED_SERVICE.fullmatch(word)
    if turned:
        return f"{turned[2].lower()}/{turned[1]}"
    found = _SERVICE.fullmatch(word)
    return word.lower().replace(":", "/") if found else ""


@lru_cache(16_384)
def is_value(word: str) -> bool:
    """Is it an address, a network, a number or a service, and no word with a meaning of its own?"""
    return bool(
        network_of(word)
        or re.fullmatch(r"[\d.:,]+", word)
        or re.fullmatch(r"\d+[a-z]{1,2}", word)
        or (service_of(word) and "/" in word)
    )


VOCABULARY = frozenset(
    word
    for known in (*(words for _, words in KINDS), *(v for v in list(globals().values()) if isinstance(v, frozenset)))
    for word in known
    if word.isalpha()
)
"""Every plain word with a meaning, so that none is taken for a name."""
