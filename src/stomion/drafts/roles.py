"""What the words of a rule mean: what the value after them is, or what the rule does."""

from __future__ import annotations

import re
from functools import lru_cache

from stomion.drafts import words as w

ZONES = frozenset({"inside", "outside", "tunnel", "lan", "wan", "vpn", "internet", "dmz"})
ACTIONS = (
    ("exempt", w.EXEMPT | {"not"}), ("masquerade", w.HIDE), ("allow", w.ALLOW), ("reject", w.REJECT), ("drop", w.DROP),
)  # fmt: skip
NEW = frozenset({"new", "gets", "becomes", "translated", "mapped", "rewritten"})
KIN = (
    ("source_to", frozenset({"source", "src"})),
    ("destination_to", frozenset({"destination", "dst", "dest"})),
)  # fmt: skip
_ENDS = frozenset({"source", "src", "saddr", "srcaddr", "destination", "dst", "dest", "daddr", "dstaddr"})
_REWRITES = w.TRANSLATION | {
    "translated",
    "rewrite",
    "rewritten",
    "replaced",
    "changed",
    "change",
    "mapped",
    "to",
    "new",
}


@lru_cache(8_192)
def into_of(word: str) -> str:
    """Which address a word says is translated: `snat`, `translate-source`, `destinationNat`."""
    if word.lower() in ("snat", "dnat"):
        return "source_to" if word.lower() == "snat" else "destination_to"
    parts = set(w.parts_of(word))
    if not parts & _REWRITES or len(parts) != len(("source", "nat")):
        return ""
    return next((name for name, kin in KIN if parts & kin), "")


def no_translation(word: str) -> str:
    parts = [part for part in w.parts_of(word) if part != "do"]
    return "exempt" if len(parts) > 1 and parts[0] in ("no", "not", "without", "skip") and parts[1] in TURNED else ""


TURNED = w.TRANSLATION | {"translated", "nating", "natted"}


def names_rule(word: str) -> bool:
    """`rule-name`, `policyName`."""
    parts = w.parts_of(word)
    return len(parts) > 1 and parts[-1] in w.NAME and parts[0] in ("rule", "policy", "filter", "entry", "acl", "access")


MOST_PARTS = 3
"""Parts of a word from which on it is no plain key."""
PORT = re.compile(r"\d{1,5}(?:-\d{1,5})?")
_ROLES: tuple[tuple[str, frozenset[str]], ...] = (
    ("source", w.SOURCE), ("destination", w.DESTINATION), ("service", w.SERVICE), ("in_interface", w.ENTERS),
    ("out_interface", w.LEAVES), ("via", w.VIA), ("on", w.ON),
)  # fmt: skip
_WAYS = (
    (frozenset({"from", "frm", "src", "source", "origin", "in", "incoming", "ingress", "inbound"}), "from_zone", "in_interface"),
    (frozenset({"to", "dst", "destination", "dest", "target", "out", "outgoing", "egress", "outbound"}), "to_zone", "out_interface"),
)  # fmt: skip
_INTERFACE = frozenset({"if", "interface", "iface", "intf", "port", "nic"})


def _mixed(parts: list[str]) -> str:
    """A zone or an interface by two words: `from zone`, `in-interface`."""
    if parts[:2] == ["next", "hop"] or "way" in parts:
        return "via"
    if parts[0] in ("by", "through") and len(parts) > 1:
        return "via" if parts[1] in w.VIA else "on"
    both = parts[:2] if parts[0] not in w.ZONE | _INTERFACE else parts[1::-1]
    for words, zone, interface in _WAYS:
        if both[0] in words:
            return zone if both[1] in w.ZONE else interface if both[1] in _INTERFACE else ""
    return ""


def role_of(word: str) -> str:
    """What the value after a word is."""
    low = word.lower()
    whole = next((role for role, known in _ROLES if low in known), "")
    if whole:
        return whole
    parts = [p for p in w.parts_of(word) if not p.isdecimal()]
    mixed = _mixed(parts) if len(parts) > 1 else ""
    if mixed:
        return mixed
    first = parts[0] if parts else ""
    if len(parts) == len(("original", "source")) and parts[-1] in _ENDS and not set(parts) & (_REWRITES | NEW):
        return parts[-1] if parts[-1] in w.SIDES else "source" if parts[-1] in w.SOURCE else "destination"
    return (
        next((role for role, known in _ROLES if first in known and len(word) > len(first)), "")
        if len(parts) < MOST_PARTS
        else ""
    )
