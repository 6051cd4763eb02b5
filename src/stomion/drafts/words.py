"""The trade's words and their abbreviations, as configurations use them: one set for each meaning. Compared in lower case, split where a
capital, a digit or a sign begins a new word."""

from __future__ import annotations

import ipaddress
import re
from functools import lru_cache

from stomion.space.axis import is_address
from stomion.vocabulary.wordlists import word_sets

_SETS = word_sets("stomion.drafts")


def _words(name: str) -> frozenset[str]:
    return frozenset(_SETS[name].rows)


_PART = re.compile(r"[A-Z]+(?=[A-Z][a-z])|[A-Z]?[a-z]+|[A-Z]+|\d+")


@lru_cache(8_192)
def parts_of(word: str) -> tuple[str, ...]:
    """`RemoteIP` -> remote, ip; `P1.Proposal.2` -> p, 1, proposal, 2; `pre-shared` -> pre, shared; `laddr` -> local, addr."""
    return tuple(part for found in _PART.findall(word) for part in _halves(found.lower()))


_FIRST = {word: word for word in _words("first half")} | {"l": "local", "r": "remote"}
_SECOND = _words("second half")


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


_KIND = "kind "
KINDS = tuple((name.removeprefix(_KIND), _words(name)) for name in _SETS if name.startswith(_KIND))
"""What a statement is about, by its first word; the first kind that fits is taken."""

OFFERS = _words("offers")
"""Beside a word for a phase: what that phase offers."""
TRANSLATION = _words("translation")

OWN = _words("own")
FAR = _words("far")
NAME = _words("name")
ZONE = _words("zone")
IDENTITY = _words("identity")
NETWORKS = _words("networks")
ENDPOINT = _words("endpoint")
SITE = _words("site")
STARTS = _words("starts")
ALWAYS = _words("always")
ON_TRAFFIC = _words("on traffic")
NEVER = _words("never")
PSK = _words("psk")
CERTIFICATE = _words("certificate")
DPD = _words("dpd")
INTERVAL = _words("interval")
RETRIES = _words("retries")
BOUND = _words("bound")
ENCRYPTION = _words("encryption")
INTEGRITY = _words("integrity")
PRF = _words("prf")
GROUP = _words("group")
LIFE = _words("life")
VOLUME = _words("volume")
NONE = _words("none")
EVERYTHING = _words("everything")
PHASE_1 = _words("phase 1")
PHASE_2 = _words("phase 2")
DENIED = _words("denied")
DEFAULT = _words("default")
SECRET = _words("secret")

SIDES = _words("sides")
SOURCE = _words("source")
DESTINATION = _words("destination")
SERVICE = _words("service")
PORTS = _words("ports")
ENTERS = _words("enters")
LEAVES = _words("leaves")
VIA = _words("via")
ON = _words("on")
ALLOW = _words("allow")
DROP = _words("drop")
REJECT = _words("reject")
HOLE = _words("hole")
HIDE = _words("hide")
EXEMPT = _words("exempt")

_MASK = re.compile(r"(?:255|254|252|248|240|224|192|128|0)(?:\.(?:255|254|252|248|240|224|192|128|0)){3}")
_WILDCARD = re.compile(r"(?:0\.){0,3}(?:255|127|63|31|15|7|3|1|0)(?:\.255){0,3}")
NOWHERE = ".".join("0000")
"""All zeros: an address and a mask of everything."""
NETMASK = _words("netmask")
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


VOCABULARY = frozenset(word for one in _SETS.values() for word in one.rows if word.isalpha())
"""Every plain word with a meaning, so that none is taken for a name."""
