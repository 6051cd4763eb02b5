"""What a file is, by its first bytes alone; its name never counts."""

from __future__ import annotations

import re

from stomion.ingest.capture import MAGICS
from stomion.ingest.ping import PING_HEAD

TABLES = ("addresses", "routes", "rules", "filter rules", "IPsec policies", "IPsec states", "forwarding", "model data")
"""Kinds of the operating system's own output."""


def recognise(head: bytes) -> str:
    """One of `capture`, `records`, `sheet`, `text`, `empty`, `binary`, or a name of TABLES."""
    if not head.strip(b"\0 \r\n\t"):
        return "empty"
    if head[:4] in MAGICS:
        return "capture"
    start = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    if start[:1] in (b"{", b"["):
        found = _json_kind(start)
        if found:
            return found
    if not _is_text(head):
        return "binary"
    return _system_text(start[:4096]) or "text"


_XFRM = re.compile(rb"\Asrc \S+ dst \S+ ?\r?\n\s+(dir (?:in|out|fwd)|proto \w+ spi)")
_FORWARDING = re.compile(rb"\A(?:net\.ipv[46]\.(?:conf\.all\.|conf/all/)?(?:ip_)?forward(?:ing)?) ?= ?[01]")


def _system_text(start: bytes) -> str | None:
    """The operating system's tables that are not JSON."""
    if _FORWARDING.match(start):
        return "forwarding"
    if PING_HEAD.match(start):
        return "ping"
    found = _XFRM.match(start)
    if found:
        return "IPsec policies" if found[1].startswith(b"dir") else "IPsec states"
    return None


def _json_kind(start: bytes) -> str | None:
    first_line = start.split(b"\n", 1)[0]
    if b'"ike-keys"' in start[:4096]:
        return "keys"
    if b'"kind"' in first_line and start[:1] == b"{":
        return "records"
    if b'"nftables"' in start[:200]:
        return "filter rules"
    if b'"ietf-' in start[:400]:
        return "model data"
    if start[:1] == b"[":
        if b'"ifname"' in start and b'"addr_info"' in start:
            return "addresses"
        if b'"priority"' in start[:400] and b'"src"' in start[:400]:
            return "rules"
        if b'"dst"' in start[:400]:
            return "routes"
        if start.strip() == b"[]":
            return "empty"
    return None


def _is_text(head: bytes) -> bool:
    """Mostly printable; a log with stray NUL bytes or in UTF-16 still counts."""
    sample = head[:8192].replace(b"\0", b"")
    if not sample:
        return False
    odd = sum(1 for byte in sample if byte < 9 or 13 < byte < 27 or 27 < byte < 32)
    return odd <= len(sample) // 20
